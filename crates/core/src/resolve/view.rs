//! What a lookup needs to know of the file system.

use std::fs;
use std::io;
use std::path::Path;

use serde::{Deserialize, Serialize};

use crate::os;
use crate::path_list::is_spelled_alike;
use crate::system::System;

/// What is at a path, links followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Hash, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FileKind {
    Missing,
    Program,
    File,
    Folder,
    BrokenLink,
    /// A folder on the way may not be searched.
    Unreadable,
    /// An app-execution alias: a file without content that Windows starts an installed app by.
    AppAlias,
}

/// A file system as lookups see it: the real one, or one made for a test.
pub trait FileView {
    fn look(&self, path: &Path) -> FileKind;

    fn look_in(&self, folder: &Path, name: &str) -> FileKind {
        self.look(&folder.join(name))
    }
}

#[derive(Debug, Clone, Copy, Default)]
pub struct Disk;

impl FileView for Disk {
    fn look(&self, path: &Path) -> FileKind {
        match fs::metadata(path) {
            Ok(seen) if seen.is_dir() => FileKind::Folder,
            Ok(seen) if seen.is_file() && os::may_execute(path) => FileKind::Program,
            Ok(_) => FileKind::File,
            Err(_) if os::is_app_alias(path) => FileKind::AppAlias,
            Err(e) if e.kind() == io::ErrorKind::PermissionDenied => FileKind::Unreadable,
            Err(_) if fs::symlink_metadata(path).is_ok() => FileKind::BrokenLink,
            Err(_) => FileKind::Missing,
        }
    }
}

/// Whether two paths lead to the same file, links followed.
pub fn same_file(one: &Path, other: &Path) -> bool {
    one == other || matches!((one.canonicalize(), other.canonicalize()), (Ok(a), Ok(b)) if a == b)
}

/// Whether two paths mean the same place, whether it is there or not: by their spelling, or as the same file.
pub fn same_place(one: &Path, other: &Path, system: System) -> bool {
    is_spelled_alike(one, other, system) || same_file(one, other)
}
