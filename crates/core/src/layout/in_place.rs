//! A tool in a folder that is in place already.

use std::path::{Path, PathBuf};

use super::analyse::{Layout, Target, analyse};
use super::error::LayoutError;
use super::on_disk::{list_files, list_folder};
use crate::error::{FileError, classified};
use crate::system::System;

#[derive(Debug, thiserror::Error)]
pub enum InPlaceError {
    #[error("{}: no such folder", .0.display())]
    NoFolder(PathBuf),
    #[error("{}: a file, not a folder", .0.display())]
    IsFile(PathBuf),
    #[error(transparent)]
    File(#[from] FileError),
    #[error(transparent)]
    Layout(#[from] LayoutError),
}

classified!(InPlaceError {
    Self::NoFolder(_) => Call, "to search for tools: wyard adopt --search";
    Self::IsFile(_) => Call, "to install a download: wyard receive FILE";
} from File, Layout);

/// The tool's home in a folder, and its layout. `given` are its command folders, absolute or relative to the folder, where
/// they are not to be found; of a folder that others share, `only` these commands are the tool's.
pub fn tool_in_place(
    folder: &Path,
    given: &[PathBuf],
    only: Option<&[String]>,
    system: System,
) -> Result<(PathBuf, Layout), InPlaceError> {
    if folder.is_file() {
        return Err(InPlaceError::IsFile(folder.to_owned()));
    }
    if !folder.is_dir() {
        return Err(InPlaceError::NoFolder(folder.to_owned()));
    }
    let target = Target::here(system, false);
    if let Some(only) = only {
        let mut layout = analyse(&list_files(folder, system)?, &[PathBuf::new()], target)?;
        layout.commands.retain(|command| only.contains(&command.name));
        return Ok((folder.to_owned(), layout));
    }
    let below = |given: &PathBuf| given.strip_prefix(folder).unwrap_or(given).to_owned();
    let layout = analyse(&list_folder(folder, system)?, &given.iter().map(below).collect::<Vec<_>>(), target)?;
    let root = if layout.wrapper.as_os_str().is_empty() { folder.to_owned() } else { folder.join(&layout.wrapper) };
    Ok((root, layout))
}
