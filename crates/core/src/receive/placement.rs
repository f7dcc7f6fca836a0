//! The place of an unpacked tool in the stock.

use super::ReceiveError;
use crate::layout::{ToolName, Version};
use crate::yard::Yard;

/// Whether the version is there already.
///
/// # Errors
/// When it is and may not be replaced.
pub(super) fn look(yard: &Yard, name: &ToolName, version: &Version, replace: bool) -> Result<bool, ReceiveError> {
    let present = yard.home(name, version).exists();
    if present && !replace {
        return Err(ReceiveError::Present { name: name.clone(), version: version.clone() });
    }
    Ok(present)
}
