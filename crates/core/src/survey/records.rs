//! Where records and disk disagree.

use crate::finding::{Code, Finding};
use crate::yard::{Yard, YardError};

/// Cards without folders, and folders without cards.
pub(super) fn strays(yard: &Yard) -> Result<Vec<Finding>, YardError> {
    let remedy = "run 'wyard stock --mend'";
    let strays = yard.strays()?;
    let cards = strays.cards.iter().map(|card| {
        let seen = format!("card {} has no folder in the stock", card.display());
        Finding::new(Code::CardWithoutFolder, seen).remedy(remedy)
    });
    let folders = strays.folders.iter().map(|folder| {
        let seen = format!("folder {} has no card", folder.display());
        Finding::new(Code::FolderWithoutCard, seen).remedy(remedy)
    });
    Ok(cards.chain(folders).collect())
}
