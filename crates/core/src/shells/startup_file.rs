//! A startup file, its language, and the folders that shells look for such files in.

use std::path::PathBuf;

use serde::Serialize;

use crate::quote;

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Dialect {
    Posix,
    Fish,
    Csh,
}

impl Dialect {
    pub const ALL: [Self; 3] = [Self::Posix, Self::Fish, Self::Csh];

    /// A word quoted so that every byte of it stays.
    pub fn quote(self, word: &[u8]) -> Vec<u8> {
        match self {
            Self::Posix => quote::posix(word),
            Self::Fish => quote::fish(word),
            Self::Csh => quote::csh(word),
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StartupFile {
    pub path: PathBuf,
    pub dialect: Dialect,
}

#[derive(Debug, Clone, Default)]
pub struct StartupFolders {
    pub home: PathBuf,
    /// Where zsh looks: `ZDOTDIR`, or the home. More than one where terminals may differ.
    pub zsh: Vec<PathBuf>,
    /// fish's configuration folder, `$XDG_CONFIG_HOME/fish`. More than one where terminals may differ.
    pub fish: Vec<PathBuf>,
    /// The file that `ENV` names, which interactive plain shells read.
    pub sh_env: Option<PathBuf>,
    /// The root of the system, where its files are meant in place of the user's.
    pub system: Option<PathBuf>,
}
