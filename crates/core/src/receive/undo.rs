//! Taking a change back: our part of it, whatever others have done to the same things since.

use std::collections::{BTreeSet, HashSet};
use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::{ReceiveError, Registrar};
use crate::error::{Blame, Blamed, FileContext as _, FileError};
use crate::machine::Machine;
use crate::os;
use crate::progress::Stop;
use crate::store::OwnEntry;
use crate::system::System;
use crate::yard::{Act, Acts, Card, Change, Content, LedgerError, Record, Role, State, Told, Yard, YardError};

/// The keys of a card that are learned or chosen besides what a change is about; what they are now is kept.
const LEARNED: [&str; 1] = ["answers"];

/// The report of `undo`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct UndoReport {
    /// The format number.
    pub format: u32,
    /// `undo`.
    pub report: &'static str,
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// The change that is taken back.
    pub undone: u64,
    /// What it did, in words.
    pub does: String,
    /// The number of this change; null where nothing had to be done.
    pub id: Option<u64>,
    /// What was touched, in words.
    pub touched: Vec<String>,
}

/// Why a change could not be taken back.
#[derive(Debug, thiserror::Error)]
pub enum UndoError {
    /// There is none.
    #[error("there is no change that could be taken back")]
    Nothing,
    /// No change has this number.
    #[error("the ledger has no change {0}")]
    NoChange(u64),
    /// It was not made, or is taken back already.
    #[error("change {id}, \"{does}\", {why}")]
    NotStanding {
        /// Its number.
        id: u64,
        /// What it did.
        does: String,
        /// How it stands.
        why: &'static str,
    },
    /// Something else was changed since, on top of it.
    #[error("change {id} can't be taken back: {} has been changed since; nothing was changed", file.display())]
    Later {
        /// Its number.
        id: u64,
        /// What was changed since.
        file: PathBuf,
        /// The later change, where it was one of ours.
        later: Option<u64>,
    },
    /// A folder that would come back is gone.
    #[error("change {id} can't be taken back: the folder {} is gone; nothing was changed", folder.display())]
    Gone {
        /// Its number.
        id: u64,
        /// The folder.
        folder: PathBuf,
    },
    /// The records and stores.
    #[error(transparent)]
    Receive(#[from] ReceiveError),
    /// A file.
    #[error(transparent)]
    File(#[from] FileError),
}

impl Blamed for UndoError {
    fn blame(&self) -> Blame {
        match self {
            Self::Nothing | Self::NoChange(_) | Self::NotStanding { .. } => Blame::Call,
            Self::Later { .. } | Self::Gone { .. } => Blame::Machine,
            Self::Receive(e) => e.blame(),
            Self::File(e) => e.blame(),
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Nothing | Self::NoChange(_) | Self::NotStanding { .. } => {
                Some("'wyard history' lists the changes".to_owned())
            }
            Self::Later { later: Some(later), .. } => {
                Some(format!("take change {later} back first: wyard undo {later}"))
            }
            Self::Later { .. } => Some("look at it: somebody else has written there".to_owned()),
            Self::Gone { .. } => Some("receive the tool again".to_owned()),
            Self::Receive(e) => e.hint(),
            Self::File(e) => e.hint(),
        }
    }
}

impl From<YardError> for UndoError {
    fn from(error: YardError) -> Self {
        Self::Receive(error.into())
    }
}

impl From<LedgerError> for UndoError {
    fn from(error: LedgerError) -> Self {
        Self::Receive(error.into())
    }
}

/// Takes back a change, or the last one that stands. Taking back is a change itself, and can be taken back.
///
/// # Errors
/// When there is no such change, or it cannot be taken back without loss; nothing is changed then.
pub fn undo(machine: &Machine, id: Option<u64>, dry_run: bool, stop: &Stop) -> Result<UndoReport, UndoError> {
    let yard = Yard::of(machine);
    // Looked for before the lock, so that a wrong number makes no yard.
    find(&yard.ledger().read()?, id)?;
    let lock = if dry_run { None } else { Some(yard.lock()?) };
    let told = yard.ledger().read()?;
    let record = find(&told, id)?;
    let acts = Undoing { machine, yard: &yard, told: &told, record, stop }.acts()?;
    let does = format!("take back change {}: {}", record.id, record.does);
    let touched = acts.touched();
    let done = lock.map(|lock| lock.carry_out(Change { does, undoes: Some(record.id), acts })).transpose()?.flatten();
    Ok(UndoReport {
        format: 1,
        report: "undo",
        dry_run,
        undone: record.id,
        does: record.does.clone(),
        id: done,
        touched,
    })
}

/// The changes that are taken back, and not brought back since.
pub(super) fn taken_back(told: &Told) -> HashSet<u64> {
    let mut undone = HashSet::new();
    for record in told.records.iter().filter(|record| record.state == State::Done) {
        if let Some(id) = record.undoes {
            undone.insert(id);
            let earlier = told.records.iter().find(|other| other.id == id).and_then(|other| other.undoes);
            if let Some(back_again) = earlier {
                undone.remove(&back_again);
            }
        }
    }
    undone
}

fn find(told: &Told, id: Option<u64>) -> Result<&Record, UndoError> {
    let undone = taken_back(told);
    let Some(id) = id else {
        let stands = |r: &&Record| r.state == State::Done && r.undoes.is_none() && !undone.contains(&r.id);
        return told.records.iter().rev().find(stands).ok_or(UndoError::Nothing);
    };
    let record = told.records.iter().rev().find(|record| record.id == id).ok_or(UndoError::NoChange(id))?;
    let why = match record.state {
        State::Open => "is not finished",
        State::TakenBack => "broke off, and everything is as it was",
        State::Done if undone.contains(&id) => "is taken back already",
        State::Done => return Ok(record),
    };
    Err(UndoError::NotStanding { id, does: record.does.clone(), why })
}

struct Undoing<'a> {
    machine: &'a Machine,
    yard: &'a Yard,
    told: &'a Told,
    record: &'a Record,
    stop: &'a Stop,
}

impl Undoing<'_> {
    /// What takes the change back. The records come first; files for shells follow from them, values of the registry are
    /// taken back one by one.
    fn acts(&self) -> Result<Acts, UndoError> {
        let mut acts = Acts::default();
        let mut cards = self.yard.cards()?;
        let mut own = self.yard.own_entries()?;
        for act in self.record.acts.iter().rev() {
            match act {
                Act::File { path, role: Role::Card, before, after } => {
                    self.card(&mut acts, &mut cards, path, before.as_ref(), after.as_ref())?;
                }
                Act::File { path, role: Role::OwnEntries, before, after } => {
                    let entries = |content: &Option<Content>| self.entries(path, content.as_ref());
                    own = self.own(path, &own, &entries(before)?, &entries(after)?)?;
                    self.yard.put_own_entries(&mut acts, own.clone())?;
                }
                Act::File { path, role: Role::Restored, before, after } => {
                    if fs::read(path).ok() != after.as_ref().map(Content::bytes) {
                        return Err(self.later(path));
                    }
                    acts.file(path, Role::Restored, before.as_ref().map(Content::bytes))?;
                }
                Act::Move { from, to } => self.shift(&mut acts, from, to)?,
                Act::File { .. } | Act::Startup { .. } | Act::Value { .. } | Act::Folder { .. } => {}
            }
        }
        let touches_stores = self.record.acts.iter().any(|act| {
            matches!(act, Act::Startup { .. } | Act::Value { .. } | Act::File { role: Role::Generated, .. })
        });
        if touches_stores {
            match os::HERE {
                System::Unix => self.startup(&mut acts, cards, &own)?,
                System::Windows => self.values(&mut acts, &cards)?,
            }
        }
        Ok(acts)
    }

    fn later(&self, file: &Path) -> UndoError {
        let touches = |act: &Act| matches!(act, Act::File { path, .. } if path == file);
        let mut after = self.told.records.iter().filter(|r| r.id > self.record.id && r.state == State::Done);
        let undone = taken_back(self.told);
        let later = after.rfind(|r| !undone.contains(&r.id) && r.acts.iter().any(touches)).map(|r| r.id);
        UndoError::Later { id: self.record.id, file: file.to_owned(), later }
    }

    /// A card, key by key: what the change wrote goes back to what it was, and what was written since stays.
    fn card(
        &self,
        acts: &mut Acts,
        cards: &mut Vec<Card>,
        path: &Path,
        before: Option<&Content>,
        after: Option<&Content>,
    ) -> Result<(), UndoError> {
        let table = |content: Option<&Content>| -> Result<Option<toml::Table>, UndoError> {
            let text = content.map(|content| String::from_utf8_lossy(&content.bytes()).into_owned());
            let parse = |text: String| toml::from_str(&text);
            text.map(parse).transpose().map_err(|_| self.later(path))
        };
        let now = match fs::read(path) {
            Ok(bytes) => Some(Content::from(bytes)),
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => None,
            Err(e) => return Err(e).at("read", path).map_err(Into::into),
        };
        let (was, became, is) = (table(before)?, table(after)?, table(now.as_ref())?);
        let wanted = match (was, became, is) {
            (None, Some(became), Some(is)) => {
                let same = |key: &String| LEARNED.contains(&key.as_str()) || became.get(key) == is.get(key);
                if !became.keys().chain(is.keys()).all(same) {
                    return Err(self.later(path));
                }
                None
            }
            (Some(was), None, None) => Some(was),
            (Some(was), Some(became), Some(mut is)) => {
                let keys: BTreeSet<String> = was.keys().chain(became.keys()).cloned().collect();
                for key in keys.iter().filter(|key| was.get(*key) != became.get(*key)) {
                    if is.get(key) != became.get(key) && !LEARNED.contains(&key.as_str()) {
                        return Err(self.later(path));
                    }
                    match was.get(key) {
                        Some(value) => is.insert(key.clone(), value.clone()),
                        None => is.remove(key),
                    };
                }
                Some(is)
            }
            _ => return Err(self.later(path)),
        };
        // Told by its file: name and version are in the path.
        let file_of = |card: &Card| {
            let mut one = Acts::default();
            self.yard.remove_card(&mut one, card).map(|()| one.touches(path)).unwrap_or(false)
        };
        cards.retain(|card| !file_of(card));
        match wanted {
            None => Ok(acts.file(path, Role::Card, None)?),
            Some(table) => {
                let card: Card = table.try_into().map_err(|_| self.later(path))?;
                self.yard.put_card(acts, &card)?;
                cards.push(card);
                Ok(())
            }
        }
    }

    fn entries(&self, path: &Path, content: Option<&Content>) -> Result<Vec<OwnEntry>, UndoError> {
        #[derive(serde::Deserialize)]
        struct Kept {
            entry: Vec<OwnEntry>,
        }
        let Some(content) = content else { return Ok(Vec::new()) };
        let text = String::from_utf8_lossy(&content.bytes()).into_owned();
        toml::from_str(&text).map(|kept: Kept| kept.entry).map_err(|_| self.later(path))
    }

    /// The user's own entries, with those gone that the change added and those back that it took away.
    fn own(
        &self,
        path: &Path,
        now: &[OwnEntry],
        was: &[OwnEntry],
        became: &[OwnEntry],
    ) -> Result<Vec<OwnEntry>, UndoError> {
        if now == became {
            return Ok(was.to_vec());
        }
        let mut all = now.to_vec();
        for added in became.iter().filter(|entry| !was.contains(entry)) {
            let at = all.iter().position(|entry| entry == added).ok_or_else(|| self.later(path))?;
            all.remove(at);
        }
        for (at, taken) in was.iter().enumerate().filter(|(_, entry)| !became.contains(entry)) {
            all.insert(at.min(all.len()), taken.clone());
        }
        Ok(all)
    }

    /// A folder goes back. What came from staging goes where tools go that leave the stock, so that it can come again.
    fn shift(&self, acts: &mut Acts, from: &Path, to: &Path) -> Result<(), UndoError> {
        if !to.exists() {
            return Err(UndoError::Gone { id: self.record.id, folder: to.to_owned() });
        }
        if !from.starts_with(self.yard.staging()) {
            acts.shift(to, from);
            return Ok(());
        }
        let parts: Vec<_> = to.iter().map(|part| part.to_string_lossy()).collect();
        let name = match &parts[..] {
            [.., name, version] => format!("{name}@{version}.{}", self.told.next_id()),
            _ => format!("folder.{}", self.told.next_id()),
        };
        acts.shift(to, &self.yard.retired().join(name));
        Ok(())
    }

    /// Startup files and what they read, as the cards will have it. A startup file that is as the change has left it goes
    /// back to the very bytes.
    fn startup(&self, acts: &mut Acts, mut cards: Vec<Card>, own: &[OwnEntry]) -> Result<(), UndoError> {
        let settings = self.yard.settings()?;
        let registrar = Registrar::new(self.machine, self.yard, &settings, self.stop);
        cards.retain(|card| card.registration.is_some());
        let mut plan = registrar.plan_cards(cards, own)?;
        for change in &mut plan.changes {
            for act in &self.record.acts {
                let Act::Startup { path, before: Some(before), after: Some(after), line } = act else { continue };
                let (before, after, line) = (before.bytes(), after.bytes(), line.bytes());
                let has = |bytes: &[u8]| crate::store::block_taken(Some(bytes), &line).as_deref() != Some(bytes);
                let as_left = *path == change.path && change.is(&after);
                if as_left && change.after.as_deref().is_some_and(|planned| has(planned) == has(&before)) {
                    change.after = Some(before);
                }
            }
        }
        acts.extend(
            plan.acts(&self.yard.startup_before())
                .map_err(crate::store::StorePlanError::from)
                .map_err(ReceiveError::from)?,
        );
        Ok(())
    }

    /// Values of the registry: one that is as the change has left it goes back; of `Path` our part is taken out.
    fn values(&self, acts: &mut Acts, cards: &[Card]) -> Result<(), UndoError> {
        let values = self.yard.values_back(&self.record.acts, cards)?;
        acts.extend(values);
        // What `Path` was is known again where the change had it forgotten.
        let used = cards.iter().any(|card| card.registration.is_some());
        for act in self.record.acts.iter().filter(|_| used) {
            if let Act::File { path, role: Role::PathBefore, before: Some(before), after: None } = act
                && !path.exists()
            {
                return Ok(acts.file(path, Role::PathBefore, Some(before.bytes()))?);
            }
        }
        Ok(self.yard.put_path_before(acts, &[], cards)?)
    }
}
