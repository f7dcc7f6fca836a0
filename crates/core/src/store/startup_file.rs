//! A startup file, its language, and the folders that shells look for such files in.

use std::path::PathBuf;

use serde::Serialize;

/// The language a startup file is written in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Dialect {
    /// The language of POSIX shells.
    Posix,
    Fish,
    /// That of the C shell.
    Csh,
}

impl Dialect {
    pub const ALL: [Self; 3] = [Self::Posix, Self::Fish, Self::Csh];
}

/// A startup file that is to carry the block.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StartupFile {
    /// The file; it may not exist yet.
    pub path: PathBuf,
    pub dialect: Dialect,
}

/// The folders that shells look for startup files in.
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
