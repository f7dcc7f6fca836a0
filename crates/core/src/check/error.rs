//! Why no check could be made.

use crate::error::{FileError, classified};
use crate::session::{SessionError, meets_session};
use crate::yard::YardError;

#[derive(Debug, thiserror::Error)]
pub enum CheckError {
    #[error(transparent)]
    Session(#[from] SessionError),
    /// The user asked to stop; what was done before the check stays.
    #[error("interrupted; nothing was changed by the check")]
    Interrupted,
}

meets_session!(CheckError: FileError, YardError);

classified!(CheckError {
    Self::Interrupted => Interrupted;
} from Session);
