//! The ledger's file: one JSON document a line, only ever added to.

use std::fs::{self, File};
use std::io::Write as _;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::act::{Act, Content};
use super::{LedgerError, fault};
use crate::error::FileContext as _;
use crate::os;

/// The format number this version reads and writes.
pub(super) const FORMAT: u32 = 1;

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
        acts: Vec<Act>,
    },
    /// A file was otherwise than it was when the change was planned; this is what is done to it.
    Amend { format: u32, id: u64, act: usize, before: Option<Content>, after: Option<Content> },
    /// It is done.
    Done { format: u32, id: u64 },
    /// It could not be done, and everything is as it was.
    TakenBack { format: u32, id: u64, why: String },
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
    pub acts: Vec<Act>,
}

/// Everything the ledger tells.
#[derive(Debug, Clone, Default)]
pub struct Told {
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
    pub(in crate::yard) fn at(yard: &Path) -> Self {
        Self { file: yard.join("ledger.jsonl") }
    }

    /// Reads it. A line that can't be understood is counted, and the rest is read.
    ///
    /// # Errors
    /// When it cannot be read, or holds a record of a later version of this program.
    pub fn read(&self) -> Result<Told, LedgerError> {
        let content = match fs::read(&self.file) {
            Ok(content) => content,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(Told::default()),
            Err(e) => return Err(e).at("read", &self.file).map_err(Into::into),
        };
        let mut told = Told::default();
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
                    told.take(event);
                    told.whole.extend_from_slice(line);
                }
                None => {
                    told.damaged.push(at + 1);
                    told.spoiled.extend_from_slice(line.trim_ascii_end());
                    told.spoiled.push(b'\n');
                }
            }
        }
        Ok(told)
    }

    /// Adds a line, and has it on the disk before it returns.
    pub(super) fn add(&self, line: &Line) -> Result<(), LedgerError> {
        let mut text = serde_json::to_vec(line).map_err(LedgerError::Record)?;
        text.push(b'\n');
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
        if fresh { Ok(os::flush_folder(folder).at("flush the folder", folder)?) } else { Ok(()) }
    }

    /// Moves lines that can't be understood into a file of their own beside it.
    pub(super) fn set_aside(&self, told: &Told) -> Result<(), LedgerError> {
        if told.damaged.is_empty() {
            return Ok(());
        }
        let aside = self.file.with_file_name("ledger.damaged");
        let mut kept = fs::read(&aside).unwrap_or_default();
        // Kept first, so that a crash in between keeps them twice rather than not at all.
        kept.extend_from_slice(&told.spoiled);
        crate::whole_file::replace(&aside, &kept)?;
        Ok(crate::whole_file::replace(&self.file, &told.whole)?)
    }
}

impl Told {
    fn take(&mut self, line: Line) {
        match line {
            Line::Begin { id, time, command, does, undoes, acts, format: _ } => {
                self.records.push(Record { id, time, command, does, undoes, state: State::Open, acts });
            }
            Line::Amend { id, act, before: is, after: becomes, format: _ } => {
                let act = self.find(id).and_then(|record| record.acts.get_mut(act));
                if let Some(Act::Startup { before, after, .. }) = act {
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
    use super::*;

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
            acts: Vec::new(),
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
        let told = ledger.read().unwrap();
        assert_eq!(told.damaged, [3, 5]);
        assert_eq!(
            told.records.iter().map(|r| (r.id, r.state)).collect::<Vec<_>>(),
            [(1, State::Done), (2, State::Open)]
        );
        ledger.set_aside(&told).unwrap();
        let told = ledger.read().unwrap();
        assert!(told.damaged.is_empty() && told.records.len() == 2 && told.next_id() == 3);
        assert_eq!(fs::read(folder.path().join("ledger.damaged")).unwrap().iter().filter(|b| **b == b'\n').count(), 2);
        fs::write(&ledger.file, "{\"format\":2,\"event\":\"news\"}\n").unwrap();
        assert!(matches!(ledger.read(), Err(LedgerError::Format { found: 2, .. })));
    }
}
