//! zip, read through its central directory.

use std::fs::File;
use std::io::{self, BufReader};
use std::path::Path;

use zip::ZipArchive;
use zip::result::ZipError;

use super::ArchiveError;
use super::entries::{RawEntry, RawKind, Visit, mode, read_target};
use crate::error::FileContext;

pub(super) fn walk(file: &Path, visit: &mut Visit) -> Result<(), ArchiveError> {
    let damaged = |source: ZipError| ArchiveError::Damaged { file: file.to_owned(), source: io::Error::other(source) };
    let raw = BufReader::with_capacity(1 << 16, File::open(file).at("open", file)?);
    let mut archive = ZipArchive::new(raw).map_err(damaged)?;
    for index in 0..archive.len() {
        let (name, bits, is_folder) = {
            let entry = archive.by_index_raw(index).map_err(damaged)?;
            let name = entry.name().map_err(damaged)?.into_owned();
            if entry.encrypted() {
                return Err(ArchiveError::Encrypted(name));
            }
            (name, entry.unix_mode(), entry.is_dir())
        };
        let mut entry = match archive.by_index(index) {
            Ok(entry) => entry,
            Err(ZipError::UnsupportedArchive(method)) => {
                return Err(ArchiveError::Method { entry: name, method: method.to_string() });
            }
            Err(e) => return Err(damaged(e)),
        };
        let kind = match bits.map_or(0, |m| m & mode::TYPE) {
            _ if is_folder => RawKind::Folder,
            0 | mode::FILE => RawKind::File,
            mode::FOLDER => RawKind::Folder,
            mode::LINK => RawKind::Link(
                read_target(&mut entry).map_err(|source| ArchiveError::Damaged { file: file.to_owned(), source })?,
            ),
            _ => RawKind::Special,
        };
        visit(RawEntry { name: name.into_bytes(), kind, mode: bits, modified: None }, &mut entry)?;
    }
    Ok(())
}
