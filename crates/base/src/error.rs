//! What every error of this crate can say about itself: who has to act, and what to do next.

use std::io;
use std::path::{Path, PathBuf};

/// Who an error is to be laid at, which decides the exit code of the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Blame {
    /// The call is wrong: an option, a name, a value (exit 2).
    Call,
    /// The input was refused: bad, hostile or mismatching (exit 3).
    Input,
    /// The machine refused: rights, disk, lock (exit 4).
    Machine,
    /// The user interrupted the work (exit 130).
    Interrupted,
}

/// The part of an error that the interface needs beside its text.
pub trait Blamed: std::error::Error + Send + Sync + 'static {
    fn blame(&self) -> Blame;
    /// The next thing to do, where the message itself does not say it.
    fn hint(&self) -> Option<String> {
        None
    }
}

/// A file or folder that the operating system would not let us work on.
#[derive(Debug, thiserror::Error)]
#[error("could not {doing} {}", path.display())]
pub struct FileError {
    /// What was being done, as in "could not …".
    pub doing: &'static str,
    pub path: PathBuf,
    #[source]
    pub source: io::Error,
}

impl Blamed for FileError {
    fn blame(&self) -> Blame {
        if self.source.kind() == io::ErrorKind::Interrupted { Blame::Interrupted } else { Blame::Machine }
    }

    fn hint(&self) -> Option<String> {
        match self.source.kind() {
            io::ErrorKind::PermissionDenied => Some("check the permissions of that file and its folder".to_owned()),
            io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => {
                Some("free some space, or use another yard with --yard DIR".to_owned())
            }
            // flock(2): ENOLCK, and EOPNOTSUPP or ENOSYS of file systems that know no locks.
            _ if self.doing == "lock" => Some(
                "some network disks do not support file locks: choose a yard on another disk with --yard DIR"
                    .to_owned(),
            ),
            io::ErrorKind::ReadOnlyFilesystem => Some("use another yard with --yard DIR".to_owned()),
            _ => None,
        }
    }
}

/// Adds what was done, and to which file, to an I/O result.
pub trait FileContext<T> {
    /// Turns an [`io::Error`] into a [`FileError`].
    fn at(self, doing: &'static str, path: &Path) -> Result<T, FileError>;
}

impl<T> FileContext<T> for io::Result<T> {
    fn at(self, doing: &'static str, path: &Path) -> Result<T, FileError> {
        self.map_err(|source| FileError { doing, path: path.to_owned(), source })
    }
}
