//! What a file is, by its first bytes; its name plays no part.

use std::fs::File;
use std::io::Read;
use std::path::Path;

use flate2::read::MultiGzDecoder;
use serde::{Deserialize, Serialize};

use super::ArchiveError;
use crate::error::FileContext;
use crate::program::{Program, ProgramKind};

/// The kind of archive.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Container {
    /// PKWARE zip.
    Zip,
    /// tar (POSIX ustar, pax, GNU).
    Tar,
}

/// How an archive is packed as a whole.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Compression {
    /// Not at all; a zip packs each entry for itself.
    None,
    /// gzip (RFC 1952).
    Gzip,
}

/// A file recognised as an archive.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Format {
    /// The archive itself.
    pub container: Container,
    /// What is around it.
    pub compression: Compression,
    /// The size of the file in bytes.
    pub bytes: u64,
}

impl Format {
    /// The format in words.
    #[must_use]
    pub fn words(self) -> &'static str {
        match (self.container, self.compression) {
            (Container::Zip, _) => "zip archive",
            (Container::Tar, Compression::None) => "tar archive",
            (Container::Tar, Compression::Gzip) => "tar archive in gzip",
        }
    }
}

/// A tar block: the unit of the format, and the size of a header.
const BLOCK: usize = 512;

/// Beginnings of files that are often taken for an archive of the two kinds we read.
const OTHERS: [(&[u8], &str); 13] = [
    (b"7z\xbc\xaf\x27\x1c", "a 7z archive, which this version can't open"),
    (b"\xfd7zXZ\0", "xz-compressed data, which this version can't open"),
    (b"\x28\xb5\x2f\xfd", "zstd-compressed data, which this version can't open"),
    (b"BZh", "bzip2-compressed data, which this version can't open"),
    (b"Rar!\x1a\x07", "a rar archive, which can't be opened"),
    (b"!<arch>\ndebian", "a Debian package, which this version can't open"),
    (b"!<arch>\n", "an ar archive or static library"),
    (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", "a Windows installer package or an old office document"),
    (b"xar!", "a macOS installer package"),
    (b"\xed\xab\xee\xdb", "an RPM package"),
    (b"%PDF", "a PDF document"),
    (b"\x89PNG", "a picture"),
    (b"PK\x07\x08", "one part of a zip archive that was split"),
];

/// Says which archive a file is.
///
/// # Errors
/// When it is none, with what it looks like; when it cannot be read.
pub fn identify(file: &Path) -> Result<Format, ArchiveError> {
    let seen = std::fs::metadata(file).at("find", file)?;
    let not =
        |looks_like: &str| ArchiveError::NotAnArchive { file: file.to_owned(), looks_like: looks_like.to_owned() };
    if seen.is_dir() {
        return Err(not("a folder"));
    }
    if !seen.is_file() {
        return Err(not("a device, pipe or socket"));
    }
    let mut head = Vec::with_capacity(4096);
    File::open(file).at("open", file)?.take(4096).read_to_end(&mut head).at("read", file)?;
    let format = |container, compression| Ok(Format { container, compression, bytes: seen.len() });
    if head.starts_with(b"PK\x03\x04") || head.starts_with(b"PK\x05\x06") {
        return format(Container::Zip, Compression::None);
    }
    if is_tar(&head) {
        return format(Container::Tar, Compression::None);
    }
    if head.starts_with(&[0x1f, 0x8b]) {
        let mut inner = Vec::with_capacity(BLOCK);
        let packed = File::open(file).at("open", file)?;
        let read = MultiGzDecoder::new(packed).take(BLOCK as u64).read_to_end(&mut inner);
        return match read {
            Ok(_) if is_tar(&inner) => format(Container::Tar, Compression::Gzip),
            Ok(_) => Err(not("a single file compressed with gzip, not a tar archive")),
            Err(source) => Err(ArchiveError::Damaged { file: file.to_owned(), source }),
        };
    }
    let name = file.file_name().unwrap_or_default().to_string_lossy();
    Err(not(&looks_like(&name, &head)))
}

/// Whether the block is a tar header: its checksum field holds the sum of its bytes, the field itself counted as
/// spaces (POSIX.1-2017, pax, "ustar Interchange Format").
fn is_tar(head: &[u8]) -> bool {
    let Some(block) = head.get(..BLOCK) else { return false };
    let header = ::tar::Header::from_byte_slice(block);
    let sum: u32 =
        block.iter().enumerate().map(|(i, b)| if (148..156).contains(&i) { 32 } else { u32::from(*b) }).sum();
    header.cksum().is_ok_and(|stated| stated == sum && sum != 256)
}

fn looks_like(name: &str, head: &[u8]) -> String {
    if head.is_empty() {
        return "an empty file".to_owned();
    }
    if let Some((_, words)) = OTHERS.iter().find(|(magic, _)| head.starts_with(magic)) {
        return (*words).to_owned();
    }
    let start = String::from_utf8_lossy(&head[..head.len().min(512)]).trim_start().to_ascii_lowercase();
    if ["<!doctype html", "<html", "<head", "<?xml"].iter().any(|tag| start.starts_with(tag)) {
        let what =
            if start.starts_with("<?xml") && !start.contains("<html") { "an XML document" } else { "a web page" };
        return format!("{what}, not the download itself");
    }
    let program = Program::identify(name, head);
    let arch = program.arch.map(|a| format!(" for {a}")).unwrap_or_default();
    match program.kind {
        ProgramKind::Elf => format!("a Linux or BSD program{arch}"),
        ProgramKind::Pe => format!("a Windows program or installer{arch}"),
        ProgramKind::Macho => format!("a macOS program{arch}"),
        ProgramKind::Script => format!("a script for {}", program.interpreter.unwrap_or_default()),
        ProgramKind::Batch => "a Windows batch file".to_owned(),
        ProgramKind::Other if program.is_text => "plain text".to_owned(),
        ProgramKind::Other if head.iter().all(|b| *b == 0) => {
            "a file of zero bytes, as an unfinished download".to_owned()
        }
        ProgramKind::Other => "data of an unknown kind".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_that_is_no_archive_is_named_for_what_it_is() {
        let folder = tempfile::tempdir().unwrap();
        let cases: [(&[u8], &str); 11] = [
            (b"", "an empty file"),
            (b"\n <!DOCTYPE html><html>", "a web page, not the download itself"),
            (b"<?xml version='1.0'?><Error/>", "an XML document, not the download itself"),
            (b"#!/bin/sh\nexit\n", "a script for /bin/sh"),
            (b"hello\n", "plain text"),
            (b"\0\0\0\0", "a file of zero bytes, as an unfinished download"),
            (b"\x00\x01\x02", "data of an unknown kind"),
            (b"7z\xbc\xaf\x27\x1c", "a 7z archive, which this version can't open"),
            (b"%PDF-1.4", "a PDF document"),
            (b"PK\x07\x08PK", "one part of a zip archive that was split"),
            (b"PK", "plain text"),
        ];
        for (content, expected) in cases {
            let file = folder.path().join("download.zip");
            std::fs::write(&file, content).unwrap();
            match identify(&file) {
                Err(ArchiveError::NotAnArchive { looks_like, .. }) => assert_eq!(looks_like, expected),
                other => panic!("{content:?}: {other:?}"),
            }
        }
        assert!(matches!(identify(folder.path()), Err(ArchiveError::NotAnArchive { .. })));
        assert!(matches!(identify(&folder.path().join("none")), Err(ArchiveError::File(_))));
    }
}
