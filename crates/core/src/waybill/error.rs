//! Why a waybill is of no use.

use std::path::PathBuf;

use crate::error::{FileError, classified};

#[derive(Debug, thiserror::Error)]
pub enum WaybillError {
    #[error(transparent)]
    File(#[from] FileError),
    #[error("no such file: {}", .0.display())]
    NoFile(PathBuf),
    #[error("{}: a folder, not a waybill", .0.display())]
    IsFolder(PathBuf),
    /// It is not written as one.
    #[error("{}, line {line}, column {column}: {what}", file.display())]
    Format {
        file: PathBuf,
        /// The line, from 1.
        line: usize,
        /// The column in characters, from 1.
        column: usize,
        what: String,
    },
    #[error("{}: {what}", file.display())]
    Content { file: PathBuf, what: String },
}

classified!(WaybillError {
    Self::NoFile(_) => Call, "to write one from the tools in use: wyard draft > FILE";
    Self::IsFolder(_) => Call;
    Self::Format { .. } | Self::Content { .. } => Input;
} from File);
