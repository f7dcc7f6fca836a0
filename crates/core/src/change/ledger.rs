//! The ledger's file: one JSON document a line, only ever added to.

use std::fs::{self, File};
use std::io::Write as _;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::error::{FORMAT, LedgerError};
use super::fault;
use super::operation::{Content, Operation, Role};
use crate::error::{FileContext as _, FileError};
use crate::os;
use crate::whole_file;

/// A line of the ledger.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "event", rename_all = "kebab-case")]
pub(super) enum Line {
    /// What is about to be done.
    Begin {
        format: u32,
        id: u64,
        time: String,
        command: String,
        does: String,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        undoes: Option<u64>,
        operations: Vec<Operation>,
    },
    /// A file was otherwise than it was when the change was planned; this is what is done to it.
    Amend { format: u32, id: u64, operation: usize, before: Option<Content>, after: Option<Content> },
    /// It is done.
    Done { format: u32, id: u64 },
    /// It could not be done, and everything is as it was.
    TakenBack { format: u32, id: u64, why: String },
}

impl Line {
    /// It as a line of the file.
    pub fn encode(&self) -> Result<Vec<u8>, serde_json::Error> {
        let mut text = serde_json::to_vec(self)?;
        text.push(b'\n');
        Ok(text)
    }
}

/// How a change stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum State {
    /// Begun, and neither done nor taken back.
    Open,
    /// Done.
    Done,
    /// It broke off, and was taken back.
    TakenBack,
}

/// A change, as the ledger tells it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Record {
    /// Its number; later ones are higher.
    pub id: u64,
    /// When it was begun (RFC 3339).
    pub time: String,
    /// The command line that made it.
    pub command: String,
    /// What it does, in words.
    pub does: String,
    /// The change that it takes back.
    pub undoes: Option<u64>,
    /// How it stands.
    pub state: State,
    /// What it changes, in order.
    #[serde(skip)]
    pub operations: Vec<Operation>,
}

/// Everything the ledger tells.
#[derive(Debug, Clone, Default)]
pub struct LedgerContents {
    /// The changes, in order.
    pub records: Vec<Record>,
    /// The numbers of lines that can't be understood.
    pub damaged: Vec<usize>,
    /// The lines that can, as they stand.
    whole: Vec<u8>,
    /// Those that can't.
    spoiled: Vec<u8>,
}

/// The ledger of a yard.
#[derive(Debug, Clone)]
pub struct Ledger {
    file: PathBuf,
}

impl Ledger {
    /// Of the yard in this folder.
    #[must_use]
    pub fn at(yard: &Path) -> Self {
        Self { file: yard.join("ledger.jsonl") }
    }

    /// Where it is.
    #[must_use]
    pub fn file(&self) -> &Path {
        &self.file
    }

    /// Reads it. A line that can't be understood is counted, and the rest is read.
    ///
    /// # Errors
    /// When it cannot be read, or holds a record of a later version of this program.
    pub fn read(&self) -> Result<LedgerContents, LedgerError> {
        let content = match fs::read(&self.file) {
            Ok(content) => content,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(LedgerContents::default()),
            Err(e) => return Err(e).at("read", &self.file).map_err(Into::into),
        };
        let mut contents = LedgerContents::default();
        for (at, line) in content.split_inclusive(|byte| *byte == b'\n').enumerate() {
            if line.trim_ascii().is_empty() {
                continue;
            }
            let document: Option<serde_json::Value> = serde_json::from_slice(line).ok();
            let format = document.as_ref().and_then(|document| document["format"].as_u64());
            if let Some(found) = format.filter(|format| *format > u64::from(FORMAT)) {
                return Err(LedgerError::Format { file: self.file.clone(), found });
            }
            // A line without its end was never flushed whole, so that nothing has followed from it.
            let ended = line.ends_with(b"\n");
            match document.filter(|_| ended).and_then(|document| serde_json::from_value(document).ok()) {
                Some(event) => {
                    contents.take(event);
                    contents.whole.extend_from_slice(line);
                }
                None => {
                    contents.damaged.push(at + 1);
                    contents.spoiled.extend_from_slice(line.trim_ascii_end());
                    contents.spoiled.push(b'\n');
                }
            }
        }
        Ok(contents)
    }

    /// Adds a line, and has it on the disk before it returns.
    pub(super) fn add(&self, line: &Line) -> Result<(), FileError> {
        self.append(line.encode().map_err(std::io::Error::from).at("write", &self.file)?)
    }

    pub(super) fn append(&self, text: Vec<u8>) -> Result<(), FileError> {
        let fresh = !self.file.exists();
        let write = || {
            fault::step()?;
            let mut file = File::options().create(true).append(true).open(&self.file)?;
            file.write_all(&text)?;
            file.sync_all()?;
            fault::step()
        };
        write().at("write", &self.file)?;
        let folder = self.file.parent().unwrap_or(Path::new("."));
        if fresh { os::flush_folder(folder).at("flush the folder", folder) } else { Ok(()) }
    }

    /// Moves lines that can't be understood into a file of their own beside it.
    pub(super) fn set_aside(&self, contents: &LedgerContents) -> Result<(), LedgerError> {
        if contents.damaged.is_empty() {
            return Ok(());
        }
        let aside = self.file.with_file_name("ledger.damaged");
        let mut kept = fs::read(&aside).unwrap_or_default();
        // Kept first, so that a crash in between keeps them twice rather than not at all.
        kept.extend_from_slice(&contents.spoiled);
        whole_file::replace(&aside, &kept)?;
        Ok(whole_file::replace(&self.file, &contents.whole)?)
    }
}

impl LedgerContents {
    /// The files of cards that were ever written.
    #[must_use]
    pub fn card_files(&self) -> Vec<PathBuf> {
        let operations = self.records.iter().flat_map(|record| &record.operations);
        let card = |operation: &Operation| match operation {
            Operation::File { path, role: Role::Card, .. } => Some(path.clone()),
            _ => None,
        };
        operations.filter_map(card).collect()
    }

    /// The change that was begun and not finished, if there is one.
    #[must_use]
    pub fn unfinished(&self) -> Option<&Record> {
        self.records.iter().find(|record| record.state == State::Open)
    }

    fn take(&mut self, line: Line) {
        match line {
            Line::Begin { id, time, command, does, undoes, operations, format: _ } => {
                self.records.push(Record { id, time, command, does, undoes, state: State::Open, operations });
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

    /// The number of the next change.
    #[must_use]
    pub fn next_id(&self) -> u64 {
        self.records.iter().map(|record| record.id).max().unwrap_or(0) + 1
    }
}

#[cfg(test)]
mod tests {
    use crate::change::ledger::*;

    #[test]
    fn a_damaged_line_is_set_aside_and_the_rest_is_told() {
        let folder = tempfile::tempdir().unwrap();
        let ledger = Ledger::at(folder.path());
        let begin = |id| Line::Begin {
            format: FORMAT,
            id,
            time: String::new(),
            command: String::new(),
            does: format!("change {id}"),
            undoes: None,
            operations: Vec::new(),
        };
        ledger.add(&begin(1)).unwrap();
        ledger.add(&Line::Done { format: FORMAT, id: 1 }).unwrap();
        let mut text = fs::read(&ledger.file).unwrap();
        text.extend_from_slice(b"{\"format\":1,\"event\":\"beg\xff\n");
        fs::write(&ledger.file, &text).unwrap();
        ledger.add(&begin(2)).unwrap();
        let mut text = fs::read(&ledger.file).unwrap();
        text.extend_from_slice(b"{\"format\":1,\"event\":\"done\",\"id\":2}");
        fs::write(&ledger.file, &text).unwrap();
        let contents = ledger.read().unwrap();
        assert_eq!(contents.damaged, [3, 5]);
        assert_eq!(
            contents.records.iter().map(|r| (r.id, r.state)).collect::<Vec<_>>(),
            [(1, State::Done), (2, State::Open)]
        );
        ledger.set_aside(&contents).unwrap();
        let contents = ledger.read().unwrap();
        assert!(contents.damaged.is_empty() && contents.records.len() == 2 && contents.next_id() == 3);
        assert_eq!(fs::read(folder.path().join("ledger.damaged")).unwrap().iter().filter(|b| **b == b'\n').count(), 2);
        fs::write(&ledger.file, "{\"format\":2,\"event\":\"news\"}\n").unwrap();
        assert!(matches!(ledger.read(), Err(LedgerError::Format { found: 2, .. })));
    }
}
