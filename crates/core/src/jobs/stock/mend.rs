//! Settling what cards and folders disagree about: a card without a folder goes, a folder without a card is set aside.

use std::collections::HashSet;
use std::fs;
use std::path::PathBuf;

use super::report::MendedStock;
use crate::change::{Change, Changeset, Role};
use crate::report::ReportPath;
use crate::session::{JobError, Session};
use crate::yard::{Strays, check_rights};

/// Sets the ledger of the place aside that a yard was copied or moved from.
pub(super) fn take_over(session: &Session, dry_run: bool) -> Result<MendedStock, JobError> {
    let mut report = MendedStock { dry_run, ..MendedStock::default() };
    if dry_run || !session.yard.root().is_dir() {
        return Ok(report);
    }
    check_rights(&session.machine)?;
    report.ledger = session.yard.take_over()?.map(ReportPath::from);
    Ok(report)
}

pub(super) fn mend(session: &Session, dry_run: bool) -> Result<MendedStock, JobError> {
    let yard = &session.yard;
    let mut report = MendedStock { dry_run, ..MendedStock::default() };
    if !yard.root().is_dir() {
        return Ok(report);
    }
    let lock = session.lock_unless(dry_run)?;
    let Strays { cards, folders } = yard.strays()?;
    let id = yard.ledger().read()?.next_id();
    let mut changeset = Changeset::default();
    for card in &cards {
        changeset.file(card, Role::Card, None)?;
    }
    for (at, folder) in folders.iter().enumerate() {
        let parts: Vec<_> = folder.iter().rev().take(2).map(|part| part.to_string_lossy().into_owned()).collect();
        let name = parts.into_iter().rev().collect::<Vec<_>>().join("@");
        // Two of a name can be there, as of different cases.
        let number = if at == 0 { String::new() } else { format!("-{at}") };
        changeset.shift(folder, &yard.retired().join(format!("{name}{number}.{id}")));
    }
    if let Some(lock) = lock {
        report.id = lock.carry_out(Change { does: "repair the stock".to_owned(), undoes: None, changeset })?;
        let above: HashSet<PathBuf> = folders.iter().filter_map(|folder| folder.parent().map(PathBuf::from)).collect();
        // A name whose last version has gone is no folder that anybody misses; one that holds something stays.
        report.empty = above.iter().filter(|folder| fs::remove_dir(folder).is_ok()).count();
    }
    let told = |paths: Vec<PathBuf>| paths.into_iter().map(ReportPath::from).collect();
    (report.cards, report.folders) = (told(cards), told(folders));
    Ok(report)
}
