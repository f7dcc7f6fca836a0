//! Writing a file whole or not at all: a temporary file beside the target, flushed, then renamed. A file that has more than a new
//! one can be given (another name, a group that its user is not in, attributes) is written itself.

use std::fs::{self, File};
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};

use crate::error::{FileContext, FileError};
use crate::os;

/// The file that a path stands for once links are followed; the path itself where nothing is there yet.
pub fn real_target(path: &Path) -> Result<PathBuf, FileError> {
    match fs::symlink_metadata(path) {
        Ok(seen) if seen.file_type().is_symlink() => fs::canonicalize(path).at("follow the link", path),
        _ => Ok(path.to_owned()),
    }
}

/// Reads a file whole. A pipe is none: reading it would wait for somebody who writes.
pub fn read(path: &Path) -> io::Result<Vec<u8>> {
    if !fs::metadata(path)?.is_file() {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "not a regular file"));
    }
    fs::read(path)
}

/// Replaces the file's content in one step. Rights, owner, attributes and further names stay; a link stays a link, its target is
/// replaced. Missing parent folders are made.
///
/// # Errors
/// When the system refuses; the file is then as it was.
pub fn replace(path: &Path, content: &[u8]) -> Result<(), FileError> {
    replace_by(path, content, ".wyard-", || Ok(true)).map(|_| ())
}

/// The same by way of a temporary file whose name begins so. When that is on the disk, `ready` has the last word: with
/// `false` nothing is replaced.
pub fn replace_by(
    path: &Path,
    content: &[u8],
    prefix: &str,
    ready: impl FnOnce() -> io::Result<bool>,
) -> Result<bool, FileError> {
    let target = real_target(path)?;
    tracing::info!(file = %target.display(), bytes = content.len(), "write");
    let folder = folder_of(&target);
    os::make_folders(folder).at("make the folder", folder)?;
    let mut temporary =
        tempfile::Builder::new().prefix(prefix).tempfile_in(folder).at("make a temporary file in", folder)?;
    temporary.write_all(content).at("write a temporary file in", folder)?;
    let is_kept = match target.exists() {
        true => os::copy_all_but_content(&target, temporary.as_file()).at("read the rights of", &target)?,
        false => os::set_mode(temporary.as_file(), 0o644).map(|()| true).at("set the rights of", &target)?,
    };
    temporary.as_file().sync_all().at("flush", &target)?;
    if !ready().at("write", &target)? {
        return Ok(false);
    }
    if !is_kept {
        // What it will be is on the disk already, and goes when it is that.
        write_through(&target, content).at("write", &target)?;
        return Ok(true);
    }
    let mut temporary = Some(temporary);
    let replaced = os::retry_while_held(|| match temporary.take().map(|file| file.persist(&target)) {
        Some(Err(failed)) => {
            temporary = Some(failed.file);
            Err(failed.error)
        }
        _ => Ok(()),
    });
    replaced.at("replace", &target)?;
    os::flush_folder(folder).at("flush the folder", folder)?;
    Ok(true)
}

/// Writes into the file itself: one call where the system takes all of it, and no moment at which it is shorter than before and
/// after.
fn write_through(target: &Path, content: &[u8]) -> io::Result<()> {
    let mut file = File::options().write(true).open(target)?;
    file.write_all(content)?;
    file.set_len(content.len() as u64)?;
    file.sync_all()
}

/// The folder that a file lies in; that of a bare name is the current one.
fn folder_of(file: &Path) -> &Path {
    file.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// Says whether [`replace`] could write there, without touching anything.
pub fn would_replace(path: &Path) -> Result<(), FileError> {
    let target = real_target(path)?;
    if target.is_dir() {
        return Err(io::Error::from(io::ErrorKind::IsADirectory)).at("write", &target);
    }
    if target.exists() {
        File::open(&target).at("read", &target)?;
        // Its owner would be another one afterwards.
        let is_theirs = !os::is_superuser() && os::belongs_to_another(&target);
        if !os::may_write(&target) || is_theirs {
            return Err(io::Error::from(io::ErrorKind::PermissionDenied)).at("write", &target);
        }
    }
    let mut folder = folder_of(&target);
    while !folder.exists() && folder != Path::new(".") {
        folder = folder_of(folder);
    }
    if folder.is_dir() && os::may_write(folder) {
        return Ok(());
    }
    Err(io::Error::from(io::ErrorKind::PermissionDenied)).at("write in the folder", folder)
}
