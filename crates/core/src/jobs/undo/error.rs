//! Why a change could not be taken back.

use std::path::PathBuf;

use crate::error::classified;

#[derive(Debug, thiserror::Error)]
pub enum UndoError {
    #[error("no changes to undo")]
    Nothing,
    #[error("no change {0}")]
    NoChange(u64),
    #[error("change {id}, \"{does}\", {why}")]
    NotStanding { id: u64, does: String, why: &'static str },
    #[error("cannot undo change {id}: {} has changed since; nothing was changed", file.display())]
    Later {
        id: u64,
        file: PathBuf,
        /// The later change, where it was one of ours.
        later: Option<u64>,
    },
    #[error("cannot undo change {id}: the folder {} no longer exists; nothing was changed", folder.display())]
    Gone { id: u64, folder: PathBuf },
}

classified!(UndoError {
    Self::Nothing | Self::NoChange(_) | Self::NotStanding { .. } => Call, "to list the changes: wyard history";
    Self::Later { later: Some(later), .. } => Machine, format!("undo change {later} first: wyard undo {later}");
    Self::Later { .. } => Machine, "check that file: another program changed it";
    Self::Gone { .. } => Machine, "receive the tool again";
});
