//! Why a file could not be looked into.

use crate::archive::ArchiveError;
use crate::checksum::TrustError;
use crate::error::{FileError, classified};
use crate::layout::LayoutError;
use crate::session::{SessionError, meets_session};
use crate::yard::YardError;

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

classified!(InspectError {
    Self::InstallerElsewhere => Call, "to see what it is: wyard inspect FILE";
} from Archive, Trust, Layout, Session);
