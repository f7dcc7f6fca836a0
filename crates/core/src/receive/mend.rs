//! Settling what cards and folders disagree about: a card without a folder goes, a folder without a card is set aside.

use std::collections::HashSet;
use std::fs;
use std::path::PathBuf;

use serde::Serialize;

use super::ReceiveError;
use crate::machine::Machine;
use crate::yard::{Acts, Change, Strays, Yard};

/// The report of `stock --mend`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct MendReport {
    /// The format number.
    pub format: u32,
    /// `mend`.
    pub report: &'static str,
    /// Cards that were removed: their folders are not there.
    pub cards: Vec<PathBuf>,
    /// Folders that were set aside: they have no card.
    pub folders: Vec<PathBuf>,
    /// Folders of the stock that were empty.
    pub empty: usize,
    /// The number of the change; null where nothing had to be done.
    pub id: Option<u64>,
}

/// Settles it.
///
/// # Errors
/// When the yard cannot be looked at or written to.
pub fn mend(machine: &Machine) -> Result<MendReport, ReceiveError> {
    let yard = Yard::of(machine);
    let mut report =
        MendReport { format: 1, report: "mend", cards: Vec::new(), folders: Vec::new(), empty: 0, id: None };
    if !yard.root().is_dir() {
        return Ok(report);
    }
    let lock = yard.lock()?;
    let Strays { cards, folders } = yard.strays()?;
    let id = yard.ledger().read()?.next_id();
    let mut acts = Acts::default();
    for card in &cards {
        acts.file(card, crate::yard::Role::Card, None).map_err(crate::yard::YardError::from)?;
    }
    for (at, folder) in folders.iter().enumerate() {
        let parts: Vec<_> = folder.iter().rev().take(2).map(|part| part.to_string_lossy().into_owned()).collect();
        let name = parts.into_iter().rev().collect::<Vec<_>>().join("@");
        // Two of a name can be there, as of different cases.
        let number = if at == 0 { String::new() } else { format!("-{at}") };
        acts.shift(folder, &yard.retired().join(format!("{name}{number}.{id}")));
    }
    report.id = lock.carry_out(Change { does: "mend the stock".to_owned(), undoes: None, acts })?;
    let above: HashSet<PathBuf> = folders.iter().filter_map(|folder| folder.parent().map(PathBuf::from)).collect();
    // A name whose last version has gone is no folder that anybody misses; one that holds something stays.
    report.empty = above.iter().filter(|folder| fs::remove_dir(folder).is_ok()).count();
    (report.cards, report.folders) = (cards, folders);
    Ok(report)
}
