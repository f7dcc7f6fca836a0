//! What of a yard does not belong together.

use std::path::{Path, PathBuf};

use super::error::YardError;
use super::place::{Yard, list};
use super::stock::{card_files, read_card};

/// What of a yard does not belong together.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Strays {
    /// The files of cards whose folder is not there.
    pub cards: Vec<PathBuf>,
    pub folders: Vec<PathBuf>,
}

impl Yard {
    /// What does not belong together: cards whose folder is not there, and folders of the stock that have no card. A card
    /// that cannot be read is neither.
    pub fn strays(&self) -> Result<Strays, YardError> {
        let mut strays = Strays::default();
        for file in card_files(self)? {
            if read_card(&file).is_ok_and(|card| !self.home_of(&card).is_dir()) {
                strays.cards.push(file);
            }
        }
        for name in list(&self.stock_folder())?.into_iter().filter(|path| path.is_dir()) {
            for home in list(&name)?.into_iter().filter(|path| path.is_dir()) {
                let part = |path: &Path| path.file_name().unwrap_or_default().to_string_lossy().into_owned();
                let card = self.cards_folder().join(part(&name)).join(format!("{}.toml", part(&home)));
                if !card.exists() {
                    strays.folders.push(home);
                }
            }
        }
        Ok(strays)
    }
}
