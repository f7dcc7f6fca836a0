//! Why a change could not be made.

use std::path::PathBuf;

use crate::error::{FileError, classified};

/// The format number of the ledger that this version reads and writes.
pub(super) const FORMAT: u32 = 1;

/// Why a change could not be made, or the ledger not be read.
#[derive(Debug, thiserror::Error)]
pub enum LedgerError {
    #[error(transparent)]
    File(#[from] FileError),
    #[error("the ledger {} has a record of format {found}; this version of wyard reads format {FORMAT}", file.display())]
    Format { file: PathBuf, found: u64 },
    /// A record names a place where no change of ours writes.
    #[error(
        "change {id} in the ledger names {}, which is outside the yard and not one of your startup files; nothing was changed",
        place.display()
    )]
    Strange { id: u64, place: PathBuf, ledger: PathBuf },
    /// A record cannot be written, as with a path that is not Unicode.
    #[error("the change cannot be written to the ledger; nothing was changed")]
    Record(#[source] serde_json::Error),
    #[error("the change failed and was rolled back")]
    TakenBack(#[source] FileError),
    /// The change broke off, and so did taking it back.
    #[error("the change failed and could not be rolled back completely; the next run will retry")]
    Open(#[source] FileError),
}

classified!(LedgerError {
    Self::File(e) | Self::TakenBack(e) | Self::Open(e) => Machine, e.hint();
    Self::Format { .. } => Machine, "use the newer wyard that wrote it";
    Self::Strange { ledger, .. } => Machine, format!("check {}: someone else may have written it", ledger.display());
    _ => Machine;
});
