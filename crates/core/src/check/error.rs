//! Why no check could be made.

use crate::error::classified;

#[derive(Debug, thiserror::Error)]
pub enum CheckError {
    /// The user asked to stop; what was done before the check stays.
    #[error("interrupted; nothing was changed by the check")]
    Interrupted,
}

classified!(CheckError {
    Self::Interrupted => Interrupted;
});
