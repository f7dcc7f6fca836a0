//! 7z, read in the order in which its blocks are packed (7-Zip's `7zFormat.txt`).

use std::io::{self, Read};
use std::path::Path;

use sevenz_rust2::{ArchiveEntry, ArchiveReader, Error, Password};

use super::ArchiveError;
use super::entries::{RawEntry, RawKind, Visit, mode, read_target};
use super::segment::{Buffered, Segment};

/// Set in a file's attributes where the upper half holds its Unix mode.
const UNIX_MODE: u32 = 0x8000;

pub(super) fn walk(file: &Path, segment: Segment, visit: &mut Visit<'_>) -> Result<(), ArchiveError> {
    let failed = |error: Error| match error {
        Error::PasswordRequired | Error::MaybeBadPassword(_) => {
            ArchiveError::Encrypted(file.file_name().unwrap_or_default().to_string_lossy().into_owned())
        }
        Error::UnsupportedCompressionMethod(method) => ArchiveError::Method { entry: "a block".to_owned(), method },
        other => ArchiveError::Damaged { file: file.to_owned(), source: io::Error::other(other) },
    };
    let mut reader = ArchiveReader::new(Buffered::new(segment), Password::empty()).map_err(failed)?;
    let mut broke: Option<ArchiveError> = None;
    let read = reader.for_each_entries(|entry, content| match one(file, entry, content, visit) {
        Ok(()) => Ok(true),
        Err(e) => {
            broke = Some(e);
            Ok(false)
        }
    });
    match broke {
        Some(error) => Err(error),
        None => read.map_err(failed),
    }
}

fn one(file: &Path, entry: &ArchiveEntry, content: &mut dyn Read, visit: &mut Visit<'_>) -> Result<(), ArchiveError> {
    // An anti-item says what is to be deleted on the way; a new folder has nothing of it.
    if entry.is_anti_item {
        return Ok(());
    }
    let attributes = if entry.has_windows_attributes { entry.windows_attributes } else { 0 };
    let bits = (attributes & UNIX_MODE != 0).then_some(attributes >> 16);
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let kind = match bits.map_or(0, |m| m & mode::TYPE) {
        _ if entry.is_directory => RawKind::Folder,
        0 | mode::FILE => RawKind::File,
        mode::FOLDER => RawKind::Folder,
        mode::LINK => RawKind::Link(read_target(content).map_err(damaged)?),
        _ => RawKind::Special,
    };
    let modified = entry.has_last_modified_date.then(|| std::time::SystemTime::from(entry.last_modified_date));
    let since = modified.and_then(|time| time.duration_since(std::time::UNIX_EPOCH).ok());
    let raw = RawEntry {
        name: entry.name.clone().into_bytes(),
        kind,
        mode: bits,
        bytes: Some(entry.size),
        modified: since.map(|since| since.as_secs()),
    };
    visit(raw, content)
}
