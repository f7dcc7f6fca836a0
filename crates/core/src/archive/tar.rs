//! tar, alone or in one compressed stream, read to its very end, so that the stream's own checksum is verified.

use std::io::{self, Read};
use std::path::Path;

use tar::{Archive, EntryType};

use super::ArchiveError;
use super::ahead::Ahead;
use super::compression::Compression;
use super::entries::{RawEntry, RawKind, Visit};
use super::rationed::{Ration, Rationed};
use super::segment::{Buffered, Segment};

/// The longest headers that one entry may have, in bytes: names, link targets and attributes of others' making.
const LONGEST_HEADERS: u64 = 4 << 20;

pub(super) fn walk(
    file: &Path,
    segment: Segment,
    compression: Compression,
    visit: &mut Visit<'_>,
) -> Result<(), ArchiveError> {
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let ration = Ration::default();
    ration.set(LONGEST_HEADERS);
    if compression == Compression::None {
        let mut archive = Archive::new(Rationed::new(Buffered::new(segment), ration.clone()));
        // What nobody reads is skipped, not read.
        let mut entries = archive.entries_with_seek().map_err(damaged)?;
        return entries.try_for_each(|entry| one(file, entry, &ration, visit));
    }
    let stream = compression.open(segment).and_then(Ahead::new).map_err(damaged)?;
    let mut archive = Archive::new(Rationed::new(stream, ration.clone()));
    archive.entries().map_err(damaged)?.try_for_each(|entry| one(file, entry, &ration, visit))?;
    io::copy(&mut archive.into_inner().into_inner(), &mut io::sink()).map(|_| ()).map_err(damaged)
}

fn one<R: Read>(
    file: &Path,
    entry: io::Result<tar::Entry<'_, R>>,
    ration: &Ration,
    visit: &mut Visit<'_>,
) -> Result<(), ArchiveError> {
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let mut entry = entry.map_err(damaged)?;
    ration.set(u64::MAX);
    let visited = visit_one(file, &mut entry, visit);
    let read = u64::MAX - ration.left();
    // What a sparse file has in the archive is less than its size.
    let sparse = entry.header().entry_type() == EntryType::GNUSparse;
    let packed = if sparse { entry.header().entry_size().map_err(damaged)? } else { entry.size() };
    // The rest of the content is read on the way to the next entry.
    ration.set(packed.saturating_sub(read).saturating_add(LONGEST_HEADERS));
    visited
}

fn visit_one<R: Read>(file: &Path, entry: &mut tar::Entry<'_, R>, visit: &mut Visit<'_>) -> Result<(), ArchiveError> {
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let header = entry.header();
    let kind = match header.entry_type() {
        EntryType::Regular | EntryType::Continuous | EntryType::GNUSparse => RawKind::File,
        EntryType::Directory => RawKind::Folder,
        EntryType::Symlink => RawKind::Link(link_target(entry)),
        EntryType::Link => RawKind::HardLink(link_target(entry)),
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
    visit(raw, entry)
}

fn link_target<R: Read>(entry: &tar::Entry<'_, R>) -> Vec<u8> {
    entry.link_name_bytes().map(std::borrow::Cow::into_owned).unwrap_or_default()
}
