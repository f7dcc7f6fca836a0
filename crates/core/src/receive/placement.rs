//! Putting an unpacked tool in its place in the stock, in one step.

use std::fs;
use std::path::Path;

use super::ReceiveError;
use crate::error::{FileContext, FileError};
use crate::layout::{ToolName, Version};
use crate::os;
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

/// Moves the folder to its home; what was there goes away whole.
pub(super) fn place(yard: &Yard, unpacked: &Path, home: &Path) -> Result<(), FileError> {
    let above = home.parent().unwrap_or(yard.root());
    fs::create_dir_all(above).at("make the folder", above)?;
    if !home.exists() {
        fs::rename(unpacked, home).at("move the tool to", home)?;
    } else if !os::exchange(unpacked, home).at("swap the tool at", home)? {
        // Where two folders can't be swapped in one step the old one waits in staging, and comes back on a failure.
        let aside = tempfile::tempdir_in(yard.staging()).at("make a folder in", &yard.staging())?;
        let old = aside.path().join("old");
        fs::rename(home, &old).at("move aside", home)?;
        if let Err(e) = fs::rename(unpacked, home) {
            fs::rename(&old, home).at("move back", home)?;
            return Err(e).at("move the tool to", home);
        }
    }
    os::flush_folder(above).at("flush the folder", above)
}
