//! Why a change could not be taken back.

use std::path::PathBuf;

use crate::change::LedgerError;
use crate::error::{Blame, Blamed, FileError};
use crate::registration::RegistrationError;
use crate::session::{SessionError, meets_session};
use crate::store::StorePlanError;
use crate::yard::YardError;

/// Why a change could not be taken back.
#[derive(Debug, thiserror::Error)]
pub enum UndoError {
    #[error("no changes to undo")]
    Nothing,
    #[error("no change {0}")]
    NoChange(u64),
    #[error("change {id}, \"{does}\", {why}")]
    NotStanding {
        id: u64,
        does: String,
        why: &'static str,
    },
    #[error("cannot undo change {id}: {} has changed since; nothing was changed", file.display())]
    Later {
        id: u64,
        file: PathBuf,
        /// The later change, where it was one of ours.
        later: Option<u64>,
    },
    #[error("cannot undo change {id}: the folder {} no longer exists; nothing was changed", folder.display())]
    Gone {
        id: u64,
        folder: PathBuf,
    },
    #[error(transparent)]
    Session(#[from] SessionError),
}

meets_session!(UndoError: FileError, YardError, LedgerError, RegistrationError, StorePlanError);

impl Blamed for UndoError {
    fn blame(&self) -> Blame {
        match self {
            Self::Nothing | Self::NoChange(_) | Self::NotStanding { .. } => Blame::Call,
            Self::Later { .. } | Self::Gone { .. } => Blame::Machine,
            Self::Session(e) => e.blame(),
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Nothing | Self::NoChange(_) | Self::NotStanding { .. } => {
                Some("to list the changes: wyard history".to_owned())
            }
            Self::Later { later: Some(later), .. } => Some(format!("undo change {later} first: wyard undo {later}")),
            Self::Later { .. } => Some("check that file: another program changed it".to_owned()),
            Self::Gone { .. } => Some("receive the tool again".to_owned()),
            Self::Session(e) => e.hint(),
        }
    }
}
