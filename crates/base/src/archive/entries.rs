//! What a container's reader hands on for each entry, before anything about it is believed.

use std::io::{self, BufRead, Read};

use super::error::ArchiveError;

#[derive(Debug)]
pub(super) struct RawEntry {
    /// The name, in the archive's own bytes.
    pub name: Vec<u8>,
    pub kind: RawKind,
    /// Its permission bits, where the container has them.
    pub mode: Option<u32>,
    /// Its unpacked size in bytes, where the container says it beforehand.
    pub bytes: Option<u64>,
    /// Whether the archive says of no file at all that it is executable.
    pub modeless: bool,
    /// Time of last change in seconds since 1970, where the container has it without doubt about the time zone.
    pub modified: Option<u64>,
}

#[derive(Debug)]
pub(super) enum RawKind {
    Folder,
    File,
    Link(Vec<u8>),
    HardLink(Vec<u8>),
    Special,
}

impl RawKind {
    pub fn target_bytes(&self) -> usize {
        match self {
            Self::Link(target) | Self::HardLink(target) => target.len(),
            _ => 0,
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Wanted {
    All,
    /// Those of which [`could_be_program`] says so.
    Programs,
}

/// Whether a file's first bytes can matter for what its tool's commands are: by its execute bits, or by its name where it
/// is one that Windows runs. In an archive without such bits only a name that is for reading tells that they can't.
pub(super) fn could_be_program(name: &[u8], bits: Option<u32>, modeless: bool) -> bool {
    const FOR_READING: [&str; 19] = [
        "txt", "md", "html", "htm", "css", "json", "xml", "png", "svg", "h", "c", "o", "a", "so", "dll", "dylib",
        "jar", "lib", "class",
    ];
    let last = name.rsplit(|byte| matches!(byte, b'/' | b'\\')).next().unwrap_or_default();
    let extension = last.iter().rposition(|byte| *byte == b'.').map_or(&b""[..], |dot| &last[dot + 1..]);
    let is = |listed: &&str| extension.eq_ignore_ascii_case(listed.as_bytes());
    bits.is_some_and(|bits| bits & mode::EXECUTE != 0)
        || ["com", "exe", "bat", "cmd"].iter().any(&is)
        || modeless && !FOR_READING.iter().any(is)
}

pub(super) type Visit<'a> = dyn FnMut(RawEntry, &mut dyn BufRead) -> Result<(), ArchiveError> + 'a;

pub(super) mod mode {
    pub const TYPE: u32 = 0o170_000;
    pub const FOLDER: u32 = 0o040_000;
    pub const FILE: u32 = 0o100_000;
    pub const LINK: u32 = 0o120_000;
    pub const PIPE: u32 = 0o010_000;
    pub const EXECUTE: u32 = 0o111;
}

/// The longest link target that is read from an archive, in bytes: Linux allows no longer path (`PATH_MAX`).
const LONGEST_TARGET: u64 = 4096;

pub(super) fn read_target(content: &mut dyn Read) -> io::Result<Vec<u8>> {
    let mut target = Vec::new();
    content.take(LONGEST_TARGET + 1).read_to_end(&mut target)?;
    if target.len() as u64 > LONGEST_TARGET {
        return Err(io::Error::new(io::ErrorKind::InvalidData, "a link's target is longer than any path may be"));
    }
    Ok(target)
}
