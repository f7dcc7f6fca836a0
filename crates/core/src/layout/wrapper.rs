//! The folder that packers put around a tool.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use super::command_folders::is_named_for_programs;
use crate::archive::{EntryKind, Listing};

/// Names of folders that are a part of a tool, however alone they stand.
const PARTS: [&str; 8] = ["lib", "lib64", "libexec", "share", "usr", "opt", "etc", "include"];

/// Whether a folder is a part of the tool: by its name, or as a bundle of macOS, which works only as a whole.
fn is_part(name: &OsStr) -> bool {
    PARTS.iter().any(|part| name == *part) || Path::new(name).extension().is_some_and(|e| e == "app")
}

/// Files and folders that systems leave in archives: the macOS archiver, the Finder, the Windows Explorer.
pub(super) fn is_litter(name: &OsStr) -> bool {
    let name = name.as_encoded_bytes();
    matches!(name, b"__MACOSX" | b".DS_Store" | b"Thumbs.db" | b"desktop.ini") || name.starts_with(b"._")
}

/// The innermost folder that holds everything but litter; empty where there is none.
pub(super) fn find(listing: &Listing) -> PathBuf {
    let mut wrapper = PathBuf::new();
    while let Some(inner) = only_folder(listing, &wrapper) {
        wrapper = inner;
    }
    wrapper
}

fn only_folder(listing: &Listing, home: &Path) -> Option<PathBuf> {
    // The only thing directly in `home`, and whether it is a folder.
    let mut only: Option<(&OsStr, bool)> = None;
    for entry in &listing.entries {
        let Some(below) = entry.path.below(home) else { continue };
        let mut parts = below.iter();
        let Some(first) = parts.next().filter(|name| !is_litter(name)) else { continue };
        let is_folder = parts.next().is_some() || entry.kind == EntryKind::Folder;
        match &mut only {
            None => only = Some((first, is_folder)),
            Some((name, folder)) if *name == first => *folder |= is_folder,
            Some(_) => return None,
        }
    }
    let (name, _) = only.filter(|(_, is_folder)| *is_folder)?;
    (!is_named_for_programs(Path::new(name)) && !is_part(name)).then(|| home.join(name))
}
