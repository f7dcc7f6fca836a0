//! tar, alone or in one compressed stream, read to its very end, so that the stream's own checksum is verified.

use std::io::{self, Read};
use std::path::Path;

use tar::{Archive, EntryType};

use super::ahead::ReadAhead;
use super::compression::Compression;
use super::entries::{RawEntry, RawKind, Visit};
use super::error::ArchiveError;
use super::oddities::ReadWarnings;
use super::rationed::{Ration, Rationed};
use super::segment::{Buffered, Segment};
use super::sparse::Sparse;
use super::stream::{Decoded, Stream};
use super::write::CHUNK;

/// The longest headers that one entry may have, in bytes: names, link targets and attributes of others' making.
const LONGEST_HEADERS: u64 = 4 << 20;

pub(super) fn walk(
    file: &Path,
    segment: Segment,
    compression: Compression,
    oddities: &ReadWarnings,
    visit: &mut Visit<'_>,
) -> Result<(), ArchiveError> {
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let ration = Ration::default();
    ration.set(LONGEST_HEADERS);
    let mut buffer = vec![0; CHUNK];
    if compression == Compression::None {
        let mut archive = Archive::new(Rationed::new(Buffered::new(segment), ration.clone()));
        // What nobody reads is skipped, not read.
        let mut entries = archive.entries_with_seek().map_err(damaged)?;
        return entries.try_for_each(|entry| {
            one(file, entry, &ration, &mut |raw, content, _| visit(raw, &mut Decoded::new(content, &mut buffer)))
        });
    }
    let stream = Stream::new(compression.open(segment, oddities).and_then(ReadAhead::new).map_err(damaged)?);
    let mut archive = Archive::new(Rationed::new(stream.clone(), ration.clone()));
    archive.entries_with_seek().map_err(damaged)?.try_for_each(|entry| {
        one(file, entry, &ration, &mut |raw, content, as_packed| match as_packed {
            Some(bytes) => visit(raw, &mut stream.content(bytes)),
            None => visit(raw, &mut Decoded::new(content, &mut buffer)),
        })
    })?;
    // The parser has read last what ends the archive, or nothing.
    let has_end = stream.has_read_zeros();
    io::copy(&mut archive.into_inner().into_inner(), &mut io::sink()).map_err(damaged)?;
    match has_end {
        true => Ok(()),
        // The rest may well stand in a part that is no longer known as one.
        false if oddities.has_bytes_behind() => Err(damaged(io::ErrorKind::UnexpectedEof.into())),
        false => {
            oddities.lacks_end();
            Ok(())
        }
    }
}

/// Takes each entry with its content and, where that lies in the archive as it is, how many bytes of it.
type VisitTar<'a> = dyn FnMut(RawEntry, &mut dyn Read, Option<u64>) -> Result<(), ArchiveError> + 'a;

fn one<R: Read>(
    file: &Path,
    entry: io::Result<tar::Entry<'_, R>>,
    ration: &Ration,
    visit: &mut VisitTar<'_>,
) -> Result<(), ArchiveError> {
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let mut entry = entry.map_err(damaged)?;
    ration.set(u64::MAX);
    let visited = visit_one(file, &mut entry, visit);
    // The rest of the content is skipped on the way to the next entry.
    ration.set(LONGEST_HEADERS);
    visited
}

fn visit_one<R: Read>(
    file: &Path,
    entry: &mut tar::Entry<'_, R>,
    visit: &mut VisitTar<'_>,
) -> Result<(), ArchiveError> {
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let mut sparse = None;
    if matches!(entry.header().entry_type(), EntryType::Regular | EntryType::Continuous) {
        sparse = Sparse::of(entry).map_err(damaged)?;
    }
    let header = entry.header();
    let kind = match header.entry_type() {
        EntryType::Regular | EntryType::Continuous | EntryType::GNUSparse => RawKind::File,
        EntryType::Directory => RawKind::Folder,
        EntryType::Symlink => RawKind::Link(link_target(entry)),
        EntryType::Link => RawKind::HardLink(link_target(entry)),
        EntryType::XGlobalHeader => return Ok(()),
        // Rights of the file that follows, as Solaris writes them (its `tar.h`, `ACL_HDR`).
        kind if kind.as_byte() == b'A' => return Ok(()),
        _ => RawKind::Special,
    };
    // What has holes does not lie in the archive as it is.
    let as_packed = (sparse.is_none() && header.entry_type() != EntryType::GNUSparse).then(|| entry.size());
    let raw = RawEntry {
        name: sparse.as_mut().and_then(|s| s.name.take()).unwrap_or_else(|| entry.path_bytes().into_owned()),
        kind,
        mode: Some(header.mode().map_err(damaged)?),
        modeless: false,
        bytes: Some(sparse.as_ref().map_or_else(|| entry.size(), |s| s.bytes)),
        modified: header.mtime().ok(),
    };
    match sparse {
        Some(sparse) => visit(raw, &mut sparse.content(entry).map_err(damaged)?, None),
        None => visit(raw, entry, as_packed),
    }
}

fn link_target<R: Read>(entry: &tar::Entry<'_, R>) -> Vec<u8> {
    entry.link_name_bytes().map(std::borrow::Cow::into_owned).unwrap_or_default()
}
