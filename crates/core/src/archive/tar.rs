//! tar, alone or in one compressed stream, read to its very end, so that the stream's own checksum is verified.

use std::io::{self, Read};
use std::path::Path;

use tar::{Archive, EntryType};

use super::ArchiveError;
use super::ahead::Ahead;
use super::compression::Compression;
use super::entries::{RawEntry, RawKind, Visit};
use super::segment::{Buffered, Segment};

pub(super) fn walk(
    file: &Path,
    segment: Segment,
    compression: Compression,
    visit: &mut Visit<'_>,
) -> Result<(), ArchiveError> {
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    if compression == Compression::None {
        let mut archive = Archive::new(Buffered::new(segment));
        // What nobody reads is skipped, not read.
        return archive.entries_with_seek().map_err(damaged)?.try_for_each(|entry| one(file, entry, visit));
    }
    let mut archive = Archive::new(Ahead::new(compression.open(segment).map_err(damaged)?));
    archive.entries().map_err(damaged)?.try_for_each(|entry| one(file, entry, visit))?;
    io::copy(&mut archive.into_inner(), &mut io::sink()).map(|_| ()).map_err(damaged)
}

fn one<R: Read>(file: &Path, entry: io::Result<tar::Entry<'_, R>>, visit: &mut Visit<'_>) -> Result<(), ArchiveError> {
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let mut entry = entry.map_err(damaged)?;
    let header = entry.header();
    let kind = match header.entry_type() {
        EntryType::Regular | EntryType::Continuous | EntryType::GNUSparse => RawKind::File,
        EntryType::Directory => RawKind::Folder,
        EntryType::Symlink => RawKind::Link(link_target(&entry)),
        EntryType::Link => RawKind::HardLink(link_target(&entry)),
        EntryType::XGlobalHeader => return Ok(()),
        _ => RawKind::Special,
    };
    let raw = RawEntry {
        name: entry.path_bytes().into_owned(),
        kind,
        mode: Some(header.mode().map_err(damaged)?),
        modeless: false,
        bytes: Some(entry.size()),
        modified: header.mtime().ok(),
    };
    visit(raw, &mut entry)
}

fn link_target<R: Read>(entry: &tar::Entry<'_, R>) -> Vec<u8> {
    entry.link_name_bytes().map(std::borrow::Cow::into_owned).unwrap_or_default()
}
