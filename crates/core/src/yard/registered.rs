//! A registered tool, as the stores need it.

use std::path::PathBuf;

use super::card::Card;
use super::place::Yard;

/// A tool as the stores know it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Registered {
    /// Its home folder.
    pub home: PathBuf,
    /// The variables that point to it.
    pub home_variables: Vec<String>,
    /// Its command folders, absolute, in the order they have in PATH.
    pub command_folders: Vec<PathBuf>,
}

impl Yard {
    /// A tool as the stores need it; `None` where it is not registered.
    #[must_use]
    pub fn registered(&self, card: &Card) -> Option<Registered> {
        let registration = card.registration.as_ref()?;
        let home = self.home_of(card);
        let folder = |f: &PathBuf| if f.as_os_str().is_empty() { home.clone() } else { home.join(f) };
        Some(Registered {
            command_folders: card.layout.command_folders.iter().map(folder).collect(),
            home_variables: registration.home_variables.iter().map(ToString::to_string).collect(),
            home,
        })
    }
}
