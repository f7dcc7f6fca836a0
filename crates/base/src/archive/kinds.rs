//! What a file is, by its first bytes; its name plays no part.

use super::compression::Compression;
use super::deb;
use crate::program::{Program, ProgramKind};

#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Container {
    Zip,
    /// tar (POSIX ustar, pax, GNU).
    Tar,
    #[serde(rename = "7z")]
    SevenZip,
    Deb,
    /// One file by itself: a program, or something compressed.
    Single,
}

/// A tar block: the unit of the format, and the size of a header.
pub(super) const BLOCK: usize = 512;

/// Beginnings of files that are often taken for an archive of a kind we read.
const OTHERS: [(&[u8], &str); 10] = [
    (b"Rar!\x1a\x07", "a rar archive, which is not supported"),
    (b"MSCF", "a Windows cabinet, which is not supported"),
    (b"LZIP", "lzip-compressed data, which is not supported"),
    (b"!<arch>\n", "an ar archive or static library"),
    (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", "a Windows installer package or an old office document"),
    (b"xar!", "a macOS installer package"),
    (b"\xed\xab\xee\xdb", "an RPM package"),
    (b"%PDF", "a PDF document"),
    (b"\x89PNG", "a picture"),
    (b"PK\x07\x08", "one part of a zip archive that was split"),
];

/// The container that a stream begins with, after any compression around it.
pub(super) fn container(head: &[u8]) -> Option<Container> {
    let begins = |magic: &[u8]| head.starts_with(magic);
    if begins(b"PK\x03\x04") || begins(b"PK\x05\x06") {
        Some(Container::Zip)
    } else if begins(b"7z\xbc\xaf\x27\x1c") {
        Some(Container::SevenZip)
    } else if begins(deb::MARK) {
        Some(Container::Deb)
    } else if is_tar(head) {
        Some(Container::Tar)
    } else {
        None
    }
}

/// Whether a file that begins like this is an archive, or something compressed, that could be opened.
pub(super) fn could_be_opened(head: &[u8]) -> bool {
    container(head).is_some() || Compression::of(head) != Compression::None
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

/// Whether a file by itself can be a tool: a program for any system, or a script.
pub(super) fn is_program(name: &str, head: &[u8]) -> bool {
    Program::identify(name, head).kind != ProgramKind::Other
}

/// What a file that can't be opened looks like, as in "it looks like …".
pub(super) fn looks_like(name: &str, head: &[u8]) -> String {
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
            "a file full of zero bytes, such as an unfinished download".to_owned()
        }
        ProgramKind::Other => "unknown data".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_that_is_no_archive_is_named_for_what_it_is() {
        let cases: [(&[u8], &str); 9] = [
            (b"", "an empty file"),
            (b"\n <!DOCTYPE html><html>", "a web page, not the download itself"),
            (b"<?xml version='1.0'?><Error/>", "an XML document, not the download itself"),
            (b"hello\n", "plain text"),
            (b"\0\0\0\0", "a file full of zero bytes, such as an unfinished download"),
            (b"\x00\x01\x02", "unknown data"),
            (b"%PDF-1.4", "a PDF document"),
            (b"PK\x07\x08PK", "one part of a zip archive that was split"),
            (b"PK", "plain text"),
        ];
        for (content, expected) in cases {
            assert_eq!(looks_like("download.zip", content), expected);
            assert!(!could_be_opened(content) && !is_program("download.zip", content));
        }
    }
}
