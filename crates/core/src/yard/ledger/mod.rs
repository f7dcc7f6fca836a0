//! The ledger: the one way to change anything. What will be done, and what was there before, is on the disk before the
//! first change is made; what was broken off is taken back by whoever comes next.

mod act;
mod fault;
mod hand;
mod record;

use std::path::PathBuf;

pub use act::{Act, Acts, Content, Role, StoredValue};
pub use record::{Ledger, Record, State, Told};

use super::{Yard, YardLock};
use crate::error::{Blame, Blamed, FileError};
use hand::Hand;
use record::{FORMAT, Line};

/// Why a change could not be made, or the ledger not be read.
#[derive(Debug, thiserror::Error)]
pub enum LedgerError {
    /// The ledger's file.
    #[error(transparent)]
    File(#[from] FileError),
    /// A record of a later version of this program.
    #[error("the ledger {} has a record of format {found}; this version of wyard reads format {FORMAT}", file.display())]
    Format {
        /// The file.
        file: PathBuf,
        /// Its format number.
        found: u64,
    },
    /// A record cannot be written, as with a path that is not Unicode.
    #[error("what is to be changed can't be written into the ledger; nothing was changed")]
    Record(#[source] serde_json::Error),
    /// The change broke off.
    #[error("the change broke off, and everything it had done was taken back")]
    TakenBack(#[source] FileError),
    /// The change broke off, and so did taking it back.
    #[error("the change broke off, and what it had done could not all be taken back; the next wyard tries again")]
    Open(#[source] FileError),
}

impl Blamed for LedgerError {
    fn blame(&self) -> Blame {
        Blame::Machine
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::File(e) | Self::TakenBack(e) | Self::Open(e) => e.hint(),
            Self::Format { .. } => Some("use the newer wyard that wrote it".to_owned()),
            Self::Record(_) => None,
        }
    }
}

/// A change to be made.
#[derive(Debug, Clone)]
pub struct Change {
    /// What it does, in words: "receive tidelog 4.2.1".
    pub does: String,
    /// The change that it takes back.
    pub undoes: Option<u64>,
    /// What is done, in order.
    pub acts: Acts,
}

/// A change that an earlier call had not finished, and how it was settled.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Settled {
    /// Its number.
    pub id: u64,
    /// The command line that had made it.
    pub command: String,
    /// What it was to do, in words.
    pub does: String,
    /// Whether all of it was there already, so that it counts as done; else it was taken back.
    pub done: bool,
}

impl Settled {
    /// It in words.
    #[must_use]
    pub fn words(&self) -> String {
        let came = if self.done { "it was all done, and counts so" } else { "what it had done was taken back" };
        format!("\"{}\" was interrupted while it was to {}: {came}", self.command, self.does)
    }
}

impl Yard {
    /// The ledger.
    #[must_use]
    pub fn ledger(&self) -> Ledger {
        Ledger::at(self.root())
    }

    /// Settles what an earlier call has left open, where nobody else is at work.
    ///
    /// # Errors
    /// When that cannot be done.
    pub fn settle(&self) -> Result<Vec<Settled>, LedgerError> {
        let is_open = |told: &Told| told.records.iter().any(|record| record.state == State::Open);
        if !is_open(&self.ledger().read()?) {
            return Ok(Vec::new());
        }
        match self.lock_at_once() {
            Some(lock) => lock.settle(),
            // Somebody is at work, and the open record is theirs.
            None => Ok(Vec::new()),
        }
    }
}

impl YardLock {
    /// Makes a change, all of it or none. `None` where there was nothing to do.
    ///
    /// # Errors
    /// When it could not be made; then it says whether everything is as it was.
    pub fn carry_out(&self, change: Change) -> Result<Option<u64>, LedgerError> {
        if change.acts.is_empty() {
            return Ok(None);
        }
        let ledger = self.yard().ledger();
        let told = ledger.read()?;
        ledger.set_aside(&told)?;
        let id = told.next_id();
        let Change { does, undoes, acts } = change;
        let acts = acts.into_list();
        let (time, command) = (crate::receive::now(), self.yard().command().to_owned());
        let begin = Line::Begin { format: FORMAT, id, time, command, does, undoes, acts: acts.clone() };
        ledger.add(&begin)?;
        let mut hand = Hand::new(self.yard(), &ledger, id);
        let made = acts.iter().enumerate().try_for_each(|(at, act)| hand.make(at, act));
        let made = made.and_then(|()| match ledger.add(&Line::Done { format: FORMAT, id }) {
            Err(LedgerError::File(e)) => Err(e),
            _ => Ok(()),
        });
        hand.announce();
        let Err(why) = made else { return Ok(Some(id)) };
        // What was amended is in the ledger only.
        let amended = ledger.read().ok().and_then(|told| told.records.into_iter().rev().find(|r| r.id == id));
        let acts = amended.map_or(acts, |record| record.acts);
        let taken_back = acts.iter().rev().try_for_each(|act| hand.take_back(act));
        hand.announce();
        let line = Line::TakenBack { format: FORMAT, id, why: why.source.to_string() };
        match taken_back.is_ok() && ledger.add(&line).is_ok() {
            true => Err(LedgerError::TakenBack(why)),
            false => Err(LedgerError::Open(why)),
        }
    }

    /// Settles what an earlier call has left open: forward where all of it was done but the last word, else back.
    ///
    /// # Errors
    /// When that cannot be done; the record stays open.
    pub fn settle(&self) -> Result<Vec<Settled>, LedgerError> {
        let ledger = self.yard().ledger();
        let told = ledger.read()?;
        ledger.set_aside(&told)?;
        let mut settled = Vec::new();
        for record in told.records.into_iter().rev().filter(|record| record.state == State::Open) {
            let Record { id, command, does, acts, .. } = record;
            let mut hand = Hand::new(self.yard(), &ledger, id);
            let done = acts.iter().all(|act| hand.is_made(act));
            if !done {
                acts.iter().rev().try_for_each(|act| hand.take_back(act))?;
            }
            hand.clear_up(&acts);
            hand.announce();
            let why = "it was interrupted".to_owned();
            ledger.add(&if done {
                Line::Done { format: FORMAT, id }
            } else {
                Line::TakenBack { format: FORMAT, id, why }
            })?;
            settled.push(Settled { id, command, does, done });
        }
        Ok(settled)
    }
}
