//! Why an installer could not be looked into or run.

use std::path::PathBuf;

use super::facts::InstallerKind;
use crate::archive::ArchiveError;
use crate::checksum::{PublishedError, TrustError};
use crate::error::{Blame, Blamed, FileError};
use crate::session::{SessionError, meets_session};
use crate::yard::YardError;

/// Why an installer could not be looked into or run.
#[derive(Debug, thiserror::Error)]
pub enum InstallError {
    /// It is none.
    #[error("{} is no installer", .0.display())]
    None(PathBuf),
    /// It is for another system.
    #[error("{} is a {}, and can't run on this system", file.display(), kind.words())]
    OtherSystem {
        /// The file.
        file: PathBuf,
        /// What it is.
        kind: InstallerKind,
    },
    /// An installer writes where it likes, and on Windows into the real registry.
    #[error("{} can't be rehearsed: an installer writes into the real registry, whatever the sandbox; nothing was run", .0.display())]
    Sandbox(PathBuf),
    /// It has no way to say where to install.
    #[error("{} has no option that names the folder to install into", .0.display())]
    NoFolderOption(PathBuf),
    /// It installs for everybody, which needs more rights.
    #[error("{} installs for everybody, which needs an administrator's rights; nothing was run", file.display())]
    NotElevated {
        /// The file.
        file: PathBuf,
        /// The call to repeat.
        command: String,
    },
    /// The package cannot be read.
    #[error(transparent)]
    Archive(#[from] ArchiveError),
    /// It is not what was published.
    #[error(transparent)]
    Trust(#[from] TrustError),
    /// What any job can meet.
    #[error(transparent)]
    Session(#[from] SessionError),
    /// The user asked to stop.
    #[error("interrupted; the installer was ended, and what it had done by then stays: see {}", .0.display())]
    Interrupted(PathBuf),
}

meets_session!(InstallError: FileError, YardError);

impl From<PublishedError> for InstallError {
    fn from(error: PublishedError) -> Self {
        Self::Trust(error.into())
    }
}

impl Blamed for InstallError {
    fn blame(&self) -> Blame {
        match self {
            Self::None(_) | Self::OtherSystem { .. } => Blame::Input,
            Self::Sandbox(_) | Self::NoFolderOption(_) => Blame::Call,
            Self::NotElevated { .. } => Blame::Machine,
            Self::Archive(e) => e.blame(),
            Self::Trust(e) => e.blame(),
            Self::Session(e) => e.blame(),
            Self::Interrupted(_) => Blame::Interrupted,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::NoFolderOption(_) => Some("pass its own option on, behind --".to_owned()),
            Self::NotElevated { command, .. } => Some(format!("repeat it with those rights: {command}")),
            Self::OtherSystem { .. } => Some("download the one for this system".to_owned()),
            Self::Archive(e) => e.hint(),
            Self::Trust(e) => e.hint(),
            Self::Session(e) => e.hint(),
            Self::Sandbox(_) => Some("'wyard inspect' tells what it would do".to_owned()),
            Self::None(_) | Self::Interrupted(_) => None,
        }
    }
}
