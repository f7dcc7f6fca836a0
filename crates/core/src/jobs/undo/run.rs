//! Which change is taken back, and what came of it.

use serde::Serialize;

use super::error::UndoError;
use super::going_back::GoingBack;
use crate::change::{Change, Changeset, Ledger, LedgerContents, LedgerError, Operation, Record, State};
use crate::installer::uninstaller;
use crate::report::{Report, ReportPath, report_body};
use crate::session::{JobError, Session};
use crate::yard::Card;

/// What is asked of `undo`.
#[derive(Debug, Clone, Copy)]
pub struct UndoRequest {
    /// The change's number; `None` for the last one that stands.
    pub id: Option<u64>,
    pub dry_run: bool,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Undone {
    pub dry_run: bool,
    pub undone: u64,
    pub does: String,
    /// The number of this change; null where nothing to do.
    pub id: Option<u64>,
    pub touched: Vec<String>,
    /// What installers brought, which are no longer on record then, but stay where they are.
    pub stays: Vec<InstalledFolder>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct InstalledFolder {
    pub folder: ReportPath,
    /// The command that removes it; null where none is known.
    pub uninstaller: Option<Vec<ReportPath>>,
}

report_body!(Undone = "undo");

/// Takes back a change, or the last one that stands. Taking back is a change itself, and can be taken back.
///
/// # Errors
/// When there is no such change, or it cannot be taken back without loss; nothing is changed then.
pub fn run(session: &Session, request: &UndoRequest) -> Result<Report<Undone>, JobError> {
    // Before the lock, so that a wrong number makes no yard.
    let ledger = session.yard.ledger();
    if !ledger.file().exists() {
        find(&LedgerContents::default(), request.id)?;
    }
    let lock = session.lock_unless(request.dry_run)?;
    let contents = read(&ledger, request.id)?;
    let record = find(&contents, request.id)?;
    let operations = operations(&ledger, &contents, record)?;
    ledger.check_places(record.id, &operations, &|| session.startup_files())?;
    let changeset = GoingBack { session, contents: &contents, id: record.id, operations }.changeset()?;
    let touched = changeset.touched();
    let stays = installed(session, &changeset)?;
    let does = format!("undo change {}: {}", record.id, record.does);
    let id = match lock {
        Some(lock) => lock.carry_out(Change { does, undoes: Some(record.id), changeset })?,
        None => None,
    };
    let (undone, does) = (record.id, record.does.clone());
    Ok(Report::new(Undone { dry_run: request.dry_run, undone, does, id, touched, stays }))
}

/// What installers brought, and this takes off the record.
fn installed(session: &Session, changeset: &Changeset) -> Result<Vec<InstalledFolder>, JobError> {
    let yard = &session.yard;
    let stock = session.cards()?;
    let leaves = |card: &&Card| card.is_of_installer() && changeset.removes(&yard.card_file(&card.name, &card.version));
    let told = |card: &Card| InstalledFolder {
        folder: yard.home_of(card).into(),
        uninstaller: uninstaller(card, session.system()),
    };
    Ok(stock.iter().filter(leaves).map(told).collect())
}

/// What a change did, with its parts that stand. Of several operations on one thing, one of which begins where the other
/// has ended, one is made.
fn operations(ledger: &Ledger, contents: &LedgerContents, record: &Record) -> Result<Vec<Operation>, LedgerError> {
    let undone = contents.taken_back();
    let parts = contents.parts(record.id).filter(|part| !undone.contains(&part.id));
    let mut all: Vec<Operation> = Vec::new();
    for record in [record].into_iter().chain(parts) {
        for operation in ledger.operations(record)? {
            let joined = all.iter().rposition(|earlier| earlier.is_of_same(&operation));
            match joined.and_then(|at| Some((at, all[at].joined(&operation)?))) {
                Some((at, both)) => all[at] = both,
                None => all.push(operation),
            }
        }
    }
    Ok(all)
}

/// As much as has to be known to take this change back.
fn read(ledger: &Ledger, id: Option<u64>) -> Result<LedgerContents, LedgerError> {
    id.map_or_else(|| ledger.read(), |id| ledger.read_back_to(id))
}

fn find(contents: &LedgerContents, id: Option<u64>) -> Result<&Record, JobError> {
    let undone = contents.taken_back();
    let Some(id) = id else {
        let stands = |r: &&Record| {
            let does_something = !r.operations.is_empty();
            r.state == State::Done && does_something && r.undoes.is_none() && !undone.contains(&r.id)
        };
        return Ok(contents.records.iter().rev().find(stands).ok_or(UndoError::Nothing)?);
    };
    let record = contents.records.iter().rev().find(|record| record.id == id).ok_or(UndoError::NoChange(id))?;
    let why = match record.state {
        State::Open => "is not finished",
        State::TakenBack => "failed and was rolled back",
        State::Done if undone.contains(&id) => "is already undone",
        State::Done => return Ok(record),
    };
    Err(UndoError::NotStanding { id, does: record.does.clone(), why }.into())
}
