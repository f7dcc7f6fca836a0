//! Why a file could not be looked into.

use crate::error::classified;

#[derive(Debug, thiserror::Error)]
pub enum InspectError {
    #[error("cannot tell what an installer would do on another machine")]
    InstallerElsewhere,
}

classified!(InspectError {
    Self::InstallerElsewhere => Call, "to see what it is: wyard inspect FILE";
});
