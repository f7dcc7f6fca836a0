//! What the ledger tells: its lines, and the changes that they are lines of.

use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::content::Recorded;
use super::error::{FORMAT, LedgerError};
use super::operation::{Operation, Role};

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "event", rename_all = "kebab-case")]
pub(super) enum Line {
    Begin {
        format: u32,
        id: u64,
        time: String,
        command: String,
        does: String,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        undoes: Option<u64>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        part_of: Option<u64>,
        operations: Vec<Operation<Recorded>>,
    },
    /// A file was otherwise than it was when the change was planned; this is what is done to it.
    Amend {
        format: u32,
        id: u64,
        operation: usize,
        before: Option<Recorded>,
        after: Option<Recorded>,
    },
    Done {
        format: u32,
        id: u64,
    },
    /// It could not be done, and everything is as it was.
    TakenBack {
        format: u32,
        id: u64,
        why: String,
    },
}

impl Line {
    fn format(&self) -> u32 {
        match self {
            Self::Begin { format, .. }
            | Self::Amend { format, .. }
            | Self::Done { format, .. }
            | Self::TakenBack { format, .. } => *format,
        }
    }

    pub fn encode(&self) -> Result<Vec<u8>, serde_json::Error> {
        let mut text = serde_json::to_vec(self)?;
        text.push(b'\n');
        Ok(text)
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum State {
    /// Begun, and neither done nor taken back.
    Open,
    Done,
    /// It broke off, and was taken back.
    TakenBack,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Record {
    /// Its number; later ones are higher.
    pub id: u64,
    /// When it was begun (RFC 3339).
    pub time: String,
    pub command: String,
    pub does: String,
    pub undoes: Option<u64>,
    /// The change that it is a part of, such as a delivery.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub part_of: Option<u64>,
    pub state: State,
    /// What it changes, in order; [`super::Ledger::operations`] has them with the contents of files.
    #[serde(skip)]
    pub operations: Vec<Operation<Recorded>>,
}

#[derive(Debug, Clone, Default)]
pub struct LedgerContents {
    pub records: Vec<Record>,
    /// The numbers of lines that can't be understood.
    pub damaged: Vec<usize>,
}

/// Of a line only its format.
#[derive(Deserialize)]
struct FormatProbe {
    format: u32,
}

/// A line as it was written when operations were called acts.
fn in_earlier_words(line: &[u8]) -> Option<Line> {
    fn rename(from: &str, to: &str, value: &mut serde_json::Value) -> Option<()> {
        let map = value.as_object_mut()?;
        let moved = map.remove(from)?;
        map.insert(to.to_owned(), moved);
        Some(())
    }
    let mut line: serde_json::Value = serde_json::from_slice(line).ok()?;
    if rename("acts", "operations", &mut line).is_some() {
        let operations = line.get_mut("operations")?.as_array_mut()?;
        operations.iter_mut().try_for_each(|operation| rename("act", "operation", operation))?;
    } else {
        rename("act", "operation", &mut line)?;
    }
    serde_json::from_value(line).ok()
}

/// The lines that hold something, with their numbers.
pub(super) fn lines(text: &[u8]) -> impl Iterator<Item = (usize, &[u8])> {
    let lines = text.split_inclusive(|byte| *byte == b'\n').enumerate();
    lines.map(|(at, line)| (at + 1, line)).filter(|(_, line)| !line.trim_ascii().is_empty())
}

impl LedgerContents {
    pub fn card_files(&self) -> Vec<PathBuf> {
        let operations = self.records.iter().flat_map(|record| &record.operations);
        let card = |operation: &Operation<Recorded>| match operation {
            Operation::File { path, role: Role::Card, .. } => Some(path.clone()),
            _ => None,
        };
        operations.filter_map(card).collect()
    }

    /// The change that was begun and not finished, if there is one.
    pub fn unfinished(&self) -> Option<&Record> {
        self.records.iter().find(|record| record.state == State::Open)
    }

    /// Adds what the text of a file tells from behind these lines on.
    pub(super) fn read(&mut self, text: &[u8], lines_before: usize, file: &Path) -> Result<(), LedgerError> {
        for (at, line) in lines(text) {
            // A line without its end was never flushed whole, so that nothing has followed from it.
            let ended = line.ends_with(b"\n");
            let event = serde_json::from_slice(line).ok().or_else(|| in_earlier_words(line)).filter(|_| ended);
            let format = || serde_json::from_slice(line).map_or(0, |line: FormatProbe| line.format);
            let found = event.as_ref().map_or_else(format, Line::format);
            if found > FORMAT {
                return Err(LedgerError::Format { file: file.to_owned(), found: found.into() });
            }
            match event {
                Some(event) => self.take(event),
                None => self.damaged.push(lines_before + at),
            }
        }
        Ok(())
    }

    fn take(&mut self, line: Line) {
        match line {
            Line::Begin { id, time, command, does, undoes, part_of, operations, format: _ } => {
                let state = State::Open;
                self.records.push(Record { id, time, command, does, undoes, part_of, state, operations });
            }
            Line::Amend { id, operation, before: is, after: becomes, format: _ } => {
                let operation = self.find(id).and_then(|record| record.operations.get_mut(operation));
                if let Some(Operation::Startup { before, after, .. }) = operation {
                    (*before, *after) = (is, becomes);
                }
            }
            Line::Done { id, format: _ } => self.set(id, State::Done),
            Line::TakenBack { id, format: _, why: _ } => self.set(id, State::TakenBack),
        }
    }

    fn find(&mut self, id: u64) -> Option<&mut Record> {
        self.records.iter_mut().rev().find(|record| record.id == id)
    }

    fn set(&mut self, id: u64, state: State) {
        if let Some(record) = self.find(id) {
            record.state = state;
        }
    }

    /// The number of the first change that is told here; that of the next one where there is none.
    pub fn first_id(&self) -> u64 {
        self.records.first().map_or(1, |record| record.id)
    }

    /// The parts of a change that has others, in order.
    pub fn parts(&self, id: u64) -> impl DoubleEndedIterator<Item = &Record> {
        self.records.iter().filter(move |record| record.part_of == Some(id) && record.state == State::Done)
    }

    pub fn next_id(&self) -> u64 {
        self.records.iter().map(|record| record.id).max().unwrap_or(0) + 1
    }
}
