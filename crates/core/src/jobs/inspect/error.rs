//! Why a file could not be looked into.

use crate::archive::ArchiveError;
use crate::checksum::TrustError;
use crate::error::{Blame, Blamed, FileError};
use crate::layout::LayoutError;
use crate::session::{SessionError, meets_session};
use crate::yard::YardError;

/// Why a file could not be looked into.
#[derive(Debug, thiserror::Error)]
pub enum InspectError {
    #[error(transparent)]
    Archive(#[from] ArchiveError),
    #[error(transparent)]
    Trust(#[from] TrustError),
    #[error(transparent)]
    Layout(#[from] LayoutError),
    #[error("cannot tell what an installer would do on another machine")]
    InstallerElsewhere,
    #[error(transparent)]
    Session(#[from] SessionError),
}

meets_session!(InspectError: FileError, YardError);

impl Blamed for InspectError {
    fn blame(&self) -> Blame {
        match self {
            Self::Archive(e) => e.blame(),
            Self::Trust(e) => e.blame(),
            Self::Layout(e) => e.blame(),
            Self::InstallerElsewhere => Blame::Call,
            Self::Session(e) => e.blame(),
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Archive(e) => e.hint(),
            Self::Trust(e) => e.hint(),
            Self::Layout(e) => e.hint(),
            Self::InstallerElsewhere => Some("to see what it is: wyard inspect FILE".to_owned()),
            Self::Session(e) => e.hint(),
        }
    }
}
