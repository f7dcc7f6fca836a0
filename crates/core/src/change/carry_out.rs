//! Making a change: all of it, or none.

use std::path::PathBuf;

use super::error::{FORMAT, LedgerError};
use super::executor::Executor;
use super::ledger::Ledger;
use super::operation::{Changeset, Operation};
use super::records::{LedgerContents, Line, Record, State};
use crate::clock;
use crate::registry::RegistryPlaces;

#[derive(Debug, Clone)]
pub struct Change {
    /// What it does, in words: "receive tidelog 4.2.1".
    pub does: String,
    pub undoes: Option<u64>,
    pub changeset: Changeset,
}

/// A change that an earlier call had not finished, and how it was settled.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Settled {
    pub id: u64,
    pub command: String,
    pub does: String,
    /// Whether all of it was there already, so that it counts as done; else it was taken back.
    pub done: bool,
}

impl Settled {
    pub fn describe(&self) -> String {
        let came = if self.done { "it had completed" } else { "it was rolled back" };
        format!("\"{}\" was interrupted ({}); {came}", self.command, self.does)
    }
}

impl Ledger {
    /// Makes a change for a call with this command line, all of it or none. `None` where there was nothing to do. Only
    /// whoever holds the yard's lock may.
    ///
    /// # Errors
    /// When it could not be made; then it says whether everything is as it was.
    pub(crate) fn carry_out(
        &self,
        places: &RegistryPlaces,
        command: &str,
        part_of: Option<u64>,
        change: Change,
    ) -> Result<Option<u64>, LedgerError> {
        if change.changeset.is_empty() {
            return Ok(None);
        }
        let contents = self.ready()?;
        let id = contents.next_id();
        let Change { does, undoes, changeset } = change;
        let operations = changeset.into_operations();
        let mut copies = self.copies();
        for (path, recorded) in
            contents.records.iter().flat_map(|record| &record.operations).flat_map(Operation::contents)
        {
            copies.note(path, recorded);
        }
        let recorded = operations
            .iter()
            .cloned()
            .map(|operation| operation.with_contents(|path, content| copies.record(path, &content)));
        let recorded = recorded.collect::<Result<_, _>>()?;
        let (time, command) = (clock::now(), command.to_owned());
        let begin = Line::Begin { format: FORMAT, id, time, command, does, undoes, part_of, operations: recorded };
        self.append(&begin.encode().map_err(LedgerError::Record)?)?;
        let mut executor = Executor::new(places, self, id);
        let made = operations.iter().enumerate().try_for_each(|(at, operation)| executor.make(at, operation));
        let made = made.and_then(|()| self.add(&Line::Done { format: FORMAT, id }));
        executor.announce();
        let Err(why) = made else { return Ok(Some(id)) };
        // What was amended is in the ledger only: where that cannot be read, what was planned is not what was there before.
        let amended = self.read().ok().and_then(|contents| contents.records.into_iter().rev().find(|r| r.id == id));
        let Some(operations) = amended.and_then(|record| self.operations(&record).ok()) else {
            return Err(LedgerError::Open(why));
        };
        let taken_back = operations.iter().rev().try_for_each(|operation| executor.take_back(operation));
        executor.announce();
        let line = Line::TakenBack { format: FORMAT, id, why: why.source.to_string() };
        match taken_back.is_ok() && self.add(&line).is_ok() {
            true => Err(LedgerError::TakenBack(why)),
            false => Err(LedgerError::Open(why)),
        }
    }

    /// Begins a change that others are parts of. It does nothing by itself.
    pub(crate) fn begin_group(&self, command: &str, does: String) -> Result<u64, LedgerError> {
        let id = self.ready()?.next_id();
        let (time, command, operations) = (clock::now(), command.to_owned(), Vec::new());
        let begin = Line::Begin { format: FORMAT, id, time, command, does, undoes: None, part_of: None, operations };
        let lines = [begin, Line::Done { format: FORMAT, id }].map(|line| line.encode());
        let [begin, done] = lines.map(|line| line.map_err(LedgerError::Record));
        self.append(&[begin?, done?].concat())?;
        Ok(id)
    }

    /// What it tells, put in order for a change to be added.
    fn ready(&self) -> Result<LedgerContents, LedgerError> {
        let mut contents = self.read()?;
        self.set_aside(&contents)?;
        self.move_old(&mut contents)?;
        Ok(contents)
    }

    pub fn is_open(&self) -> Result<bool, LedgerError> {
        Ok(self.read()?.records.iter().any(|record| record.state == State::Open))
    }

    /// Settles what an earlier call has left open: forward where all of it was done but the last word, else back. Only
    /// whoever holds the yard's lock may. `startup_files` are all that could be ones of this user.
    ///
    /// # Errors
    /// When that cannot be done, or a record names other places; the record stays open.
    pub(crate) fn settle(
        &self,
        places: &RegistryPlaces,
        startup_files: &dyn Fn() -> Vec<PathBuf>,
    ) -> Result<Vec<Settled>, LedgerError> {
        // A change begins only when those before it are settled.
        if self.ends_settled()? {
            return Ok(Vec::new());
        }
        let contents = self.read()?;
        self.set_aside(&contents)?;
        let mut settled = Vec::new();
        for record in contents.records.into_iter().rev().filter(|record| record.state == State::Open) {
            let operations = self.operations(&record)?;
            let Record { id, command, does, .. } = record;
            self.check_places(id, &operations, startup_files)?;
            let mut executor = Executor::new(places, self, id);
            let done = operations.iter().all(|operation| executor.is_made(operation));
            // First: a folder goes only where nothing is left in it.
            executor.clear_up(&operations);
            if !done {
                operations.iter().rev().try_for_each(|operation| executor.take_back(operation))?;
            }
            executor.announce();
            let why = "it was interrupted".to_owned();
            self.add(&if done {
                Line::Done { format: FORMAT, id }
            } else {
                Line::TakenBack { format: FORMAT, id, why }
            })?;
            settled.push(Settled { id, command, does, done });
        }
        Ok(settled)
    }
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;
    use crate::change::content::Recorded;
    use crate::change::operation::Role;

    #[test]
    fn what_cannot_be_read_again_is_not_taken_back_by_guess() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let places = RegistryPlaces::of(Some(folder.path()));
        fs::write(at("blocked"), "").unwrap();
        for loses_ledger in [false, true] {
            let mut changeset = Changeset::default();
            fs::write(at("old"), "kept").unwrap();
            changeset.shift(&at("old"), &at("new"));
            if loses_ledger {
                changeset.shift(&at("ledger.jsonl"), &at("aside"));
            }
            // No folder can be made in a file.
            changeset.shift(&at("new"), &at("blocked/new"));
            let change = Change { does: "move".to_owned(), undoes: None, changeset };
            let ended = Ledger::at(folder.path()).carry_out(&places, "wyard test", None, change).unwrap_err();
            assert_eq!(matches!(ended, LedgerError::Open(_)), loses_ledger, "{ended}");
            assert_eq!(at("old").exists(), !loses_ledger);
            assert_eq!(fs::read(at(if loses_ledger { "new" } else { "old" })).unwrap(), b"kept");
        }
    }
    #[test]
    fn a_folder_that_was_just_begun_goes_again() {
        let folder = tempfile::tempdir().unwrap();
        let card = folder.path().join("cards/det/1.0.toml");
        let ledger = Ledger::at(folder.path());
        let mut changeset = Changeset::default();
        changeset.file(&card, Role::Card, Some(b"card = 1\n".to_vec())).unwrap();
        let operations = changeset.into_operations().into_iter();
        let operations = operations
            .map(|operation| operation.with_contents(|_, content| Ok::<_, LedgerError>(Recorded::Whole(content))));
        let begin = Line::Begin {
            format: FORMAT,
            id: 1,
            time: clock::now(),
            command: "wyard deliver".to_owned(),
            does: "receive det 1.0".to_owned(),
            undoes: None,
            part_of: None,
            operations: operations.collect::<Result<_, _>>().unwrap(),
        };
        ledger.append(&begin.encode().unwrap()).unwrap();
        // Killed while it wrote the card beside its place.
        fs::create_dir_all(card.parent().unwrap()).unwrap();
        fs::write(card.with_file_name(".wyard-1-x"), "card").unwrap();
        ledger.settle(&RegistryPlaces::of(Some(folder.path())), &Vec::new).unwrap();
        assert!(!folder.path().join("cards").exists());
    }
}
