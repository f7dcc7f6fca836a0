//! tar, alone or in gzip, read as one stream to its very end, so that the stream's own checksum is verified.

use std::fs::File;
use std::io::{self, BufReader, Read};
use std::path::Path;

use flate2::bufread::MultiGzDecoder;
use tar::{Archive, EntryType};

use super::ArchiveError;
use super::entries::{RawEntry, RawKind, Visit};
use super::identify::Compression;
use crate::error::FileContext;

pub(super) fn walk(file: &Path, compression: Compression, visit: &mut Visit) -> Result<(), ArchiveError> {
    let raw = BufReader::with_capacity(1 << 18, File::open(file).at("open", file)?);
    match compression {
        Compression::None => walk_stream(file, raw, visit),
        Compression::Gzip => walk_stream(file, MultiGzDecoder::new(raw), visit),
    }
}

fn walk_stream(file: &Path, stream: impl Read, visit: &mut Visit) -> Result<(), ArchiveError> {
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let mut archive = Archive::new(stream);
    for entry in archive.entries().map_err(damaged)? {
        let mut entry = entry.map_err(damaged)?;
        let header = entry.header();
        let kind = match header.entry_type() {
            EntryType::Regular | EntryType::Continuous | EntryType::GNUSparse => RawKind::File,
            EntryType::Directory => RawKind::Folder,
            EntryType::Symlink => RawKind::Link(link_target(&entry)),
            EntryType::Link => RawKind::HardLink(link_target(&entry)),
            EntryType::XGlobalHeader => continue,
            _ => RawKind::Special,
        };
        let raw = RawEntry {
            name: entry.path_bytes().into_owned(),
            kind,
            mode: Some(header.mode().map_err(damaged)?),
            modified: header.mtime().ok(),
        };
        visit(raw, &mut entry)?;
    }
    io::copy(&mut archive.into_inner(), &mut io::sink()).map_err(damaged)?;
    Ok(())
}

fn link_target<R: Read>(entry: &tar::Entry<'_, R>) -> Vec<u8> {
    entry.link_name_bytes().map(std::borrow::Cow::into_owned).unwrap_or_default()
}
