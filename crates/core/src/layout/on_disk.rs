//! A folder that is already there, listed as an archive would be.

use std::fs;
use std::io::Read as _;
use std::path::Path;

use crate::archive::{Entry, EntryKind, Listing, MemberPath};
use crate::error::{FileContext as _, FileError};
use crate::given;
use crate::os;
use crate::program::{HEAD_BYTES, Program};
use crate::system::System;

/// A folder with more entries than any tool has is no tool.
const MOST: usize = 120_000;

/// Lists a folder with all that lies below it; links are not followed, and what cannot be named in an archive is left out.
pub fn list_folder(root: &Path, system: System) -> Result<Listing, FileError> {
    let mut listing = Listing::default();
    let mut folders = vec![root.to_owned()];
    while let Some(folder) = folders.pop() {
        let mut entries = Vec::new();
        for entry in fs::read_dir(&folder).at("list the folder", &folder)? {
            entries.push(entry.at("list the folder", &folder)?);
        }
        entries.sort_by_key(fs::DirEntry::file_name);
        for entry in entries {
            if listing.entries.len() == MOST {
                let too_much = std::io::Error::other(format!("it contains more than {MOST} files and folders"));
                return Err(too_much).at("take for a tool", root);
            }
            if let Ok(seen) = fs::symlink_metadata(entry.path()) {
                listing.entries.extend(one(root, &entry.path(), &seen, system));
            }
            if entry.file_type().is_ok_and(|kind| kind.is_dir()) {
                folders.push(entry.path());
            }
        }
    }
    Ok(listing)
}

/// Lists the files of a folder, and nothing that lies deeper. Links to files count as those.
pub fn list_files(folder: &Path, system: System) -> Result<Listing, FileError> {
    let mut listing = Listing::default();
    for entry in fs::read_dir(folder).at("list the folder", folder)? {
        let path = entry.at("list the folder", folder)?.path();
        if let Some(seen) = fs::metadata(&path).ok().filter(fs::Metadata::is_file) {
            listing.entries.extend(one(folder, &path, &seen, system));
        }
    }
    Ok(listing)
}

fn one(root: &Path, path: &Path, seen: &fs::Metadata, system: System) -> Option<Entry> {
    let below: Vec<&[u8]> = path.strip_prefix(root).ok()?.iter().map(std::ffi::OsStr::as_encoded_bytes).collect();
    let name = MemberPath::new(&below.join(&b'/')).ok()??;
    let kind = if seen.is_dir() {
        EntryKind::Folder
    } else if seen.is_symlink() {
        EntryKind::Link(fs::read_link(path).ok()?.into_os_string())
    } else {
        EntryKind::File
    };
    let executable = system == System::Windows || os::may_execute(path);
    let program = (kind == EntryKind::File && executable).then(|| {
        let mut head = Vec::new();
        let read = given::open(path).and_then(|file| file.take(HEAD_BYTES as u64).read_to_end(&mut head));
        let file_name = path.file_name().unwrap_or_default().to_string_lossy();
        Box::new(Program::identify(&file_name, if read.is_ok() { &head } else { &[] }))
    });
    let mode = Some(if executable { 0o755 } else { 0o644 });
    Some(Entry { path: name, kind, bytes: seen.len(), mode, program, needs: None })
}
