//! The real file system, for many lookups at once.

use std::collections::{HashMap, HashSet};
use std::ffi::OsStr;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use super::view::{Disk, FileKind, FileView};
use crate::system::System;

/// A folder is listed when this many names were looked for in it one by one.
const ONE_BY_ONE: u32 = 32;

/// A view of the real file system that lists a folder in which many names are looked for, and from then on looks only for
/// those that it may have. It is meant for one answer: what changes later in a folder is not seen.
#[derive(Debug)]
pub struct ListedDisk {
    lists: bool,
    folders: Mutex<HashMap<PathBuf, Folder>>,
}

#[derive(Debug)]
enum Folder {
    Asked(u32),
    /// The names it has, in lower case, since the file system may fold them.
    Listed(HashSet<String>),
    Closed,
}

impl ListedDisk {
    /// For a system. On Windows a file answers to other names than the listed one, so that nothing is listed there ("Naming
    /// Files, Paths, and Namespaces", short names).
    pub fn new(system: System) -> Self {
        Self { lists: system == System::Unix, folders: Mutex::default() }
    }

    fn lacks(&self, folder: &Path, name: &str) -> bool {
        // Other characters may be written in two ways, and a path is looked for as it is.
        if !self.lists || !name.is_ascii() || name.contains('/') {
            return false;
        }
        let mut folders = self.folders.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(known) = folders.get_mut(folder) else {
            folders.insert(folder.to_owned(), Folder::Asked(1));
            return false;
        };
        if let Folder::Asked(asked) = known {
            *asked += 1;
            if *asked > ONE_BY_ONE {
                *known = list(folder);
            }
        }
        let has = |names: &HashSet<String>| match name.bytes().any(|byte| byte.is_ascii_uppercase()) {
            true => names.contains(&name.to_ascii_lowercase()),
            false => names.contains(name),
        };
        matches!(known, Folder::Listed(names) if !has(names))
    }
}

fn list(folder: &Path) -> Folder {
    let listed = fs::read_dir(folder).and_then(|entries| {
        entries.map(|entry| entry.map(|entry| entry.file_name().to_string_lossy().to_lowercase())).collect()
    });
    match listed {
        Ok(names) => Folder::Listed(names),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Folder::Listed(HashSet::new()),
        Err(_) => Folder::Closed,
    }
}

impl FileView for ListedDisk {
    fn look(&self, path: &Path) -> FileKind {
        match (path.parent(), path.file_name().and_then(OsStr::to_str)) {
            (Some(folder), Some(name)) => self.look_in(folder, name),
            _ => Disk.look(path),
        }
    }

    fn look_in(&self, folder: &Path, name: &str) -> FileKind {
        if self.lacks(folder, name) { FileKind::Missing } else { Disk.look(&folder.join(name)) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_sees_what_the_disk_has() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        fs::create_dir(at("ebb")).unwrap();
        fs::write(at("file"), "").unwrap();
        fs::write(at("flußpegel"), "").unwrap();
        let view = ListedDisk::new(System::Unix);
        for _ in 0..=ONE_BY_ONE {
            for name in ["ebb", "file", "flußpegel", "none", "file/below", "none/below"] {
                assert_eq!(view.look(&at(name)), Disk.look(&at(name)), "{name}");
            }
        }
        assert!(view.lacks(folder.path(), "none") && !view.lacks(folder.path(), "FILE"));
    }
}
