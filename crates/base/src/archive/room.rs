//! The room on a disk.

use std::path::Path;

use super::error::ArchiveError;
use crate::os;

/// Refuses what cannot fit, before a byte of it is written.
pub(super) fn look_for_room(folder: &Path, needed: u64) -> Result<(), ArchiveError> {
    match os::free_space(folder) {
        Some(free) if free < needed => Err(ArchiveError::NoRoom { folder: folder.to_owned(), free, needed }),
        _ => Ok(()),
    }
}
