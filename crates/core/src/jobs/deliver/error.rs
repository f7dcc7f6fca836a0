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
    /// The waybill is of no use.
    #[error(transparent)]
    Waybill(#[from] WaybillError),
    /// A tool that was named is not in it.
    #[error("no tool called \"{name}\" in the waybill")]
    NoTool {
        /// What was named.
        name: String,
        /// What may have been meant.
        meant: Option<String>,
    },
    /// What a tool's launchers name is not in it.
    #[error("{tool}: {why}; nothing was delivered")]
    Launcher {
        /// The tool.
        tool: String,
        /// What is missing.
        why: String,
    },
    /// How servers are reached.
    #[error(transparent)]
    Download(#[from] DownloadError),
    /// The check at the end.
    #[error(transparent)]
    Check(#[from] CheckError),
    /// What any job can meet.
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
