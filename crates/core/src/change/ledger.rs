//! The ledger's files: one JSON document a line, only ever added to, and the archive of old ones.

use std::fs::{self, File};
use std::io::{Read as _, Seek as _, SeekFrom, Write as _};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use serde::Deserialize;

use super::content::{Copies, Recorded};
use super::error::{FORMAT, LedgerError};
use super::fault;
use super::operation::Operation;
use super::records::{LedgerContents, Line, Record, lines};
use crate::error::{FileContext as _, FileError};
use crate::os;
use crate::whole_file;

/// Above MOST records the oldest are archived until LEAST remain.
const MOST: usize = 2000;
const LEAST: usize = 1000;

#[derive(Debug, Clone)]
pub struct Ledger {
    file: PathBuf,
    /// What was read last: the file only grows, and a call with many changes reads it for each of them.
    known: Arc<Mutex<Known>>,
}

/// The beginning of the file, up to the end of a line, and what it tells.
#[derive(Debug, Default)]
struct Known {
    text: Vec<u8>,
    contents: LedgerContents,
}

impl Ledger {
    pub fn at(yard: &Path) -> Self {
        Self { file: yard.join("ledger.jsonl"), known: Arc::default() }
    }

    pub fn file(&self) -> &Path {
        &self.file
    }

    pub fn archive(&self) -> PathBuf {
        self.file.with_file_name("ledger-archive.jsonl")
    }

    /// The folder of copies of large contents beside it.
    pub fn contents(&self) -> PathBuf {
        self.file.with_file_name("contents")
    }

    pub(super) fn copies(&self) -> Copies {
        Copies::at(self.contents())
    }

    /// Reads it, but for what was moved into the archive. A line that can't be understood is counted, and the rest is read.
    pub fn read(&self) -> Result<LedgerContents, LedgerError> {
        let text = whole(&self.file)?;
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        if !text.starts_with(&known.text) {
            *known = Known::default();
        }
        let Known { text: before, mut contents } = std::mem::take(&mut *known);
        let lines_before = before.iter().filter(|byte| **byte == b'\n').count();
        contents.read(&text[before.len()..], lines_before, &self.file)?;
        if text.ends_with(b"\n") {
            *known = Known { text, contents: contents.clone() };
        }
        Ok(contents)
    }

    pub fn read_all(&self) -> Result<LedgerContents, LedgerError> {
        // In this order, since another call may move some from the one into the other meanwhile.
        let mut contents = self.read()?;
        let mut archived = LedgerContents::default();
        archived.read(&whole(&self.archive())?, 0, &self.archive())?;
        // What stands in both counts once.
        let first = contents.first_id();
        let earlier = archived.records.into_iter().filter(|record| record.id < first);
        contents.records.splice(..0, earlier);
        Ok(contents)
    }

    /// Reads as much of it as tells of this change and of all that came after it.
    pub fn read_back_to(&self, id: u64) -> Result<LedgerContents, LedgerError> {
        let contents = self.read()?;
        if id >= contents.first_id() { Ok(contents) } else { self.read_all() }
    }

    /// Whether its last line tells how a change ended.
    pub(super) fn ends_settled(&self) -> Result<bool, FileError> {
        const END: u64 = 4096;
        let mut file = match File::open(&self.file) {
            Ok(file) => file,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(true),
            Err(e) => return Err(e).at("open", &self.file),
        };
        let mut end = Vec::new();
        let length = file.metadata().at("read", &self.file)?.len();
        file.seek(SeekFrom::Start(length.saturating_sub(END))).at("read", &self.file)?;
        file.read_to_end(&mut end).at("read", &self.file)?;
        let last = lines(&end).last().map(|(_, line)| line).filter(|line| line.ends_with(b"\n"));
        let last = last.and_then(|line| serde_json::from_slice(line).ok());
        Ok(matches!(last, Some(Line::Done { format: FORMAT, .. } | Line::TakenBack { format: FORMAT, .. })))
    }

    pub fn operations(&self, record: &Record) -> Result<Vec<Operation>, FileError> {
        let mut copies = self.copies();
        let whole =
            |operation: &Operation<Recorded>| operation.clone().with_contents(|_, recorded| copies.whole(recorded));
        record.operations.iter().map(whole).collect()
    }

    /// Adds a line, and has it on the disk before it returns.
    pub(super) fn add(&self, line: &Line) -> Result<(), FileError> {
        self.append(&line.encode().map_err(std::io::Error::from).at("write", &self.file)?)
    }

    pub(super) fn append(&self, text: &[u8]) -> Result<(), FileError> {
        append(&self.file, text)
    }

    /// Moves lines that can't be understood into a file of their own beside it.
    pub(super) fn set_aside(&self, contents: &LedgerContents) -> Result<(), LedgerError> {
        if contents.damaged.is_empty() {
            return Ok(());
        }
        let text = whole_file::read(&self.file).at("read", &self.file)?;
        let aside = self.file.with_file_name("ledger.damaged");
        let mut kept = fs::read(&aside).unwrap_or_default();
        let mut whole = Vec::with_capacity(text.len());
        for (at, line) in lines(&text) {
            if contents.damaged.binary_search(&at).is_ok() {
                kept.extend_from_slice(line.trim_ascii_end());
                kept.push(b'\n');
            } else {
                whole.extend_from_slice(line);
            }
        }
        // Kept first, so that a crash in between keeps them twice rather than not at all.
        whole_file::replace(&aside, &kept)?;
        Ok(whole_file::replace(&self.file, &whole)?)
    }

    /// Moves the oldest changes into the archive where there are many: each call reads the ledger, and few need those. All
    /// of them have to be settled.
    pub(super) fn move_old(&self, contents: &mut LedgerContents) -> Result<(), LedgerError> {
        if contents.records.len() <= MOST || contents.unfinished().is_some() {
            return Ok(());
        }
        let (archive, from) = (self.archive(), contents.first_id());
        contents.records.drain(..contents.records.len() - LEAST);
        let (old, rest) = split(&whole_file::read(&self.file).at("read", &self.file)?, contents.first_id());
        // Archived first: what a crash in between leaves in both is told once, and goes here.
        let archived = match whole_file::read(&archive) {
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => Vec::new(),
            read => read.at("read", &archive)?,
        };
        let (before, again) = split(&archived, from);
        if !again.is_empty() {
            whole_file::replace(&archive, &before)?;
        }
        if !archive.exists() {
            // It holds what the ledger holds, and is for the same eyes.
            let made = File::options().create(true).append(true).open(&archive).at("make", &archive)?;
            os::copy_all_but_content(&self.file, &made).at("set the rights of", &archive)?;
        }
        append(&archive, &old)?;
        Ok(whole_file::replace(&self.file, &rest)?)
    }
}

/// Of a line only which change it is of.
#[derive(Deserialize)]
struct RecordId {
    id: u64,
}

/// The text of a file; none is one that tells nothing.
fn whole(file: &Path) -> Result<Vec<u8>, LedgerError> {
    match whole_file::read(file) {
        Ok(text) => Ok(text),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(Vec::new()),
        Err(e) => Err(e).at("read", file).map_err(Into::into),
    }
}

/// The lines of changes before this one, and the others.
fn split(text: &[u8], first: u64) -> (Vec<u8>, Vec<u8>) {
    let (mut before, mut others) = (Vec::new(), Vec::new());
    for (_, line) in lines(text) {
        let is_before = serde_json::from_slice::<RecordId>(line).is_ok_and(|line| line.id < first);
        if is_before { before.extend_from_slice(line) } else { others.extend_from_slice(line) }
    }
    (before, others)
}

/// Adds to the end of a file, and has it on the disk before it returns.
fn append(file: &Path, text: &[u8]) -> Result<(), FileError> {
    let fresh = !file.exists();
    let write = || {
        fault::step()?;
        let mut open = File::options().create(true).append(true).open(file)?;
        open.write_all(text)?;
        open.sync_all()?;
        fault::step()
    };
    write().at("write", file)?;
    let folder = file.parent().unwrap_or(Path::new("."));
    if fresh { os::flush_folder(folder).at("flush the folder", folder) } else { Ok(()) }
}

#[cfg(test)]
mod tests {
    use super::super::records::State;
    use super::*;

    fn begin(id: u64) -> Line {
        let (time, command, does) = (String::new(), String::new(), format!("change {id}"));
        Line::Begin { format: FORMAT, id, time, command, does, undoes: None, part_of: None, operations: Vec::new() }
    }

    #[test]
    fn old_changes_go_into_the_archive_and_none_is_lost_or_told_twice() {
        let folder = tempfile::tempdir().unwrap();
        let ledger = Ledger::at(folder.path());
        let done = |id| [begin(id), Line::Done { format: FORMAT, id }].map(|line| line.encode().unwrap()).concat();
        let whole = |contents: &LedgerContents, next| {
            let is_done = |(record, id): (&Record, u64)| record.id == id && record.state == State::Done;
            contents.records.len() + 1 == usize::try_from(next).unwrap()
                && contents.records.iter().zip(1..).all(is_done)
        };
        let mut next = 1;
        for round in 0..3u64 {
            let more = u64::try_from(MOST).unwrap() + 1;
            ledger.append(&(next..next + more).flat_map(done).collect::<Vec<u8>>()).unwrap();
            next += more;
            let before = fs::read(&ledger.file).unwrap();
            ledger.move_old(&mut ledger.read().unwrap()).unwrap();
            assert_eq!(ledger.read().unwrap().records.len(), LEAST);
            assert!(whole(&ledger.read_all().unwrap(), next));
            if round == 1 {
                // Ended between the two files.
                fs::write(&ledger.file, before).unwrap();
                let archive = fs::read(ledger.archive()).unwrap();
                fs::write(ledger.archive(), &archive[..archive.len() - 40]).unwrap();
                assert!(whole(&ledger.read_all().unwrap(), next));
            }
        }
        assert_eq!(ledger.read_back_to(next - 1).unwrap().records.len(), LEAST);
        assert!(whole(&ledger.read_back_to(1).unwrap(), next));
        // One that is open keeps all where they are.
        ledger.append(&(next..next + 2000).flat_map(done).collect::<Vec<u8>>()).unwrap();
        ledger.add(&begin(next + 2000)).unwrap();
        ledger.move_old(&mut ledger.read().unwrap()).unwrap();
        assert_eq!(ledger.read().unwrap().records.len(), LEAST + 2001);
    }

    #[test]
    fn a_damaged_line_is_set_aside_and_the_rest_is_told() {
        let folder = tempfile::tempdir().unwrap();
        let ledger = Ledger::at(folder.path());
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

    #[test]
    fn records_in_earlier_words_are_read() {
        let text = r#"{"event":"begin","format":1,"id":1,"time":"","command":"c","does":"d","acts":[{"act":"folder","path":"/y/cards"},{"act":"startup","path":"/h/.profile","line":". y","before":null,"after":"a"},{"act":"move","from":"/y/staging/1","to":"/y/stock/t"}]}
{"event":"amend","format":1,"id":1,"act":1,"before":"b","after":"ba"}
{"event":"done","format":1,"id":1}
"#;
        let folder = tempfile::tempdir().unwrap();
        let ledger = Ledger::at(folder.path());
        ledger.append(text.as_bytes()).unwrap();
        let contents = ledger.read().unwrap();
        let record = &contents.records[0];
        assert!(contents.damaged.is_empty() && record.state == State::Done);
        let Operation::Startup { before: Some(before), .. } = &ledger.operations(record).unwrap()[1] else { panic!() };
        assert_eq!(before.bytes(), b"b");
    }
}
