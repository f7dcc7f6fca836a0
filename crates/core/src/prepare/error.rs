//! Why a tool could not be prepared.

use std::path::PathBuf;

use crate::error::{FileError, classified};

/// The largest file that is prepared, in bytes.
pub(super) const MOST: u64 = 4 << 20;

/// Why a tool could not be prepared. Files are relative to its home.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PrepareError {
    #[error("{}: no such file in the tool", .0.display())]
    NoFile(PathBuf),
    /// A file is a folder, or leads out of the tool.
    #[error("{}: not a file inside the tool", .0.display())]
    NotAFile(PathBuf),
    /// A file is too large to be a settings file or a launcher.
    #[error("{}: larger than {} MiB, not a settings file", .0.display(), MOST >> 20)]
    TooLarge(PathBuf),
    /// It is written in a way that is not edited.
    #[error("{}: {why}", file.display())]
    Content {
        file: PathBuf,
        /// What is in the way.
        why: String,
    },
    /// A text to be replaced is not there exactly once.
    #[error("{}: \"{old}\" occurs {times} times; expected once", file.display())]
    NotOnce { file: PathBuf, old: String, times: usize },
    /// The user has edited a file that would be written anew.
    #[error("{}: edited since it was written", .0.display())]
    Edited(PathBuf),
    #[error("{{home:{0}}}: no such tool in the waybill or in the yard")]
    NoTool(String),
    /// A path has to stand in a text, and cannot.
    #[error("the path {} cannot be written into a text file", .0.display())]
    Path(PathBuf),
    #[error("launcher {command}: {why}")]
    Launcher { command: String, why: String },
    #[error("{0}")]
    File(String),
}

impl From<FileError> for PrepareError {
    fn from(error: FileError) -> Self {
        let cause = std::error::Error::source(&error).map(|cause| format!(": {cause}")).unwrap_or_default();
        Self::File(format!("{error}{cause}"))
    }
}

classified!(PrepareError {
    Self::Edited(_) => Machine, "to have it written again, move your version away first";
    Self::File(_) => Machine;
    _ => Input;
});
