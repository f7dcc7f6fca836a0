//! Why nothing could be delivered.

use crate::check::CheckError;
use crate::download::DownloadError;
use crate::error::{Blame, Blamed};
use crate::session::{SessionError, meets_session};
use crate::waybill::WaybillError;
use crate::yard::YardError;

/// Why nothing could be delivered. What goes wrong with one tool is told with it, and the others are delivered.
#[derive(Debug, thiserror::Error)]
pub enum DeliverError {
    #[error(transparent)]
    Waybill(#[from] WaybillError),
    #[error("no tool called \"{name}\" in the waybill")]
    NoTool {
        name: String,
        meant: Option<String>,
    },
    #[error("{tool}: {why}; nothing was delivered")]
    Launcher {
        tool: String,
        why: String,
    },
    #[error(transparent)]
    Download(#[from] DownloadError),
    #[error(transparent)]
    Check(#[from] CheckError),
    #[error(transparent)]
    Session(#[from] SessionError),
}

meets_session!(DeliverError: YardError);

impl Blamed for DeliverError {
    fn blame(&self) -> Blame {
        match self {
            Self::Waybill(e) => e.blame(),
            Self::NoTool { .. } => Blame::Call,
            Self::Launcher { .. } => Blame::Input,
            Self::Download(e) => e.blame(),
            Self::Check(e) => e.blame(),
            Self::Session(e) => e.blame(),
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Waybill(e) => e.hint(),
            Self::NoTool { meant, .. } => meant.clone(),
            Self::Launcher { .. } => Some("correct 'runs' of the launcher in the waybill".to_owned()),
            Self::Download(e) => e.hint(),
            Self::Check(e) => e.hint(),
            Self::Session(e) => e.hint(),
        }
    }
}
