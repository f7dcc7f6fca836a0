//! Where a yard was made: its ledger names files there, and taking a change back in a copy would change the original.

use std::fs;
use std::path::{Path, PathBuf};

use super::error::YardError;
use super::place::Yard;
use crate::error::FileContext as _;
use crate::os;
use crate::resolve::same_file;
use crate::whole_file;

impl Yard {
    /// Notes where the yard is, or compares that with where it was made. A yard of before there were such notes is told by
    /// what its ledger has put into it.
    pub(super) fn check_place(&self) -> Result<(), YardError> {
        let file = self.place_file();
        let noted = match whole_file::read(&file) {
            Ok(bytes) => Some(PathBuf::from(os::name_from_bytes(bytes))),
            Err(_) => self.place_in_ledger()?,
        };
        match noted.filter(|from| from != self.root()) {
            Some(from) if !same_file(&from, self.root()) => Err(YardError::Moved { from }),
            _ if file.exists() => Ok(()),
            _ => self.note_place(),
        }
    }

    /// Sets the ledger of another place aside, and notes this one. Gives where the old ledger lies, if there was one.
    pub fn take_over(&self) -> Result<Option<PathBuf>, YardError> {
        let aside = |file: &Path| file.with_extension("jsonl.before-move");
        let (ledger, archive) = (self.ledger().file().to_owned(), self.ledger().archive());
        let is_there = fs::metadata(&ledger).is_ok_and(|seen| seen.len() > 0);
        for file in [&archive, &ledger].into_iter().filter(|file| is_there && file.exists()) {
            fs::rename(file, aside(file)).at("set aside", file)?;
        }
        self.note_place()?;
        Ok(is_there.then(|| aside(&ledger)))
    }

    fn note_place(&self) -> Result<(), YardError> {
        Ok(whole_file::replace(&self.place_file(), self.root().as_os_str().as_encoded_bytes())?)
    }

    fn place_file(&self) -> PathBuf {
        self.root().join("place")
    }

    fn place_in_ledger(&self) -> Result<Option<PathBuf>, YardError> {
        let cards = self.ledger().read_all()?.card_files();
        let yard = |card: &PathBuf| Some(card.parent()?.parent()?.parent()?.to_owned());
        Ok(cards.iter().find_map(yard))
    }
}
