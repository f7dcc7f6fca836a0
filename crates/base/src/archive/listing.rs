//! What an archive holds: its entries with what layout analysis needs to know of each.

use std::ffi::OsString;

use super::left_out::LeftOut;
use super::member::MemberPath;
use crate::program::{Needs, Program, ProgramKind};

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum EntryKind {
    Folder,
    File,
    /// A symbolic link, with its target as the archive has it.
    Link(OsString),
}

#[derive(Debug, Clone)]
pub struct Entry {
    pub path: MemberPath,
    pub kind: EntryKind,
    /// Its unpacked size in bytes; 0 for folders and links.
    pub bytes: u64,
    pub mode: Option<u32>,
    /// What its first bytes say about it; `None` for folders and links.
    pub program: Option<Box<Program>>,
    /// What it needs from elsewhere before it can start, where that was looked at: in a listing, of programs for this
    /// machine.
    pub needs: Option<Box<Needs>>,
}

/// All entries of an archive in the order in which they stand, later ones of the same name replacing earlier ones.
#[derive(Debug, Clone, Default)]
pub struct Listing {
    pub entries: Vec<Entry>,
    /// The entries that were left out because they could do harm.
    pub left_out: Vec<LeftOut>,
    /// Whether the format can say which files are executable but says it of none, so that content has to tell.
    pub without_modes: bool,
}

impl Listing {
    /// Whether a file is meant to be executed: by its execute bits, or, in a zip without modes, by being a program or
    /// beginning with `#!`.
    pub fn executable(&self, entry: &Entry) -> bool {
        let Some(program) = &entry.program else { return false };
        if self.without_modes {
            return matches!(program.kind, ProgramKind::Elf | ProgramKind::Macho | ProgramKind::Script);
        }
        entry.mode.is_some_and(|mode| mode & 0o111 != 0)
    }

    /// The sum of all files' sizes in bytes.
    pub fn unpacked_bytes(&self) -> u64 {
        self.entries.iter().map(|e| e.bytes).sum()
    }

    pub fn files(&self) -> usize {
        self.entries.iter().filter(|e| e.kind == EntryKind::File).count()
    }
}
