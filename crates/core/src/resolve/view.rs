//! What a lookup needs to know of the file system.

use std::fs;
use std::io;
use std::path::Path;

use crate::os;

/// What is at a path, links followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Seen {
    /// Nothing.
    Missing,
    /// A regular file that may be executed.
    Program,
    /// A file that may not.
    File,
    /// A folder.
    Folder,
    /// A link that leads nowhere.
    BrokenLink,
    /// A folder on the way may not be searched.
    Unreadable,
    /// An app-execution alias: a file without content that Windows starts an installed app by.
    AppAlias,
}

/// A file system as lookups see it: the real one, or one made for a test.
pub trait FileView {
    /// What is at the path.
    fn look(&self, path: &Path) -> Seen;
}

/// The real file system.
#[derive(Debug, Clone, Copy, Default)]
pub struct Disk;

impl FileView for Disk {
    fn look(&self, path: &Path) -> Seen {
        match fs::metadata(path) {
            Ok(seen) if seen.is_dir() => Seen::Folder,
            Ok(seen) if seen.is_file() && os::may_execute(path) => Seen::Program,
            Ok(_) => Seen::File,
            Err(_) if os::is_app_alias(path) => Seen::AppAlias,
            Err(e) if e.kind() == io::ErrorKind::PermissionDenied => Seen::Unreadable,
            Err(_) if fs::symlink_metadata(path).is_ok() => Seen::BrokenLink,
            Err(_) => Seen::Missing,
        }
    }
}
