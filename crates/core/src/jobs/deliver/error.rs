//! Why nothing could be delivered.

use crate::check::CheckError;
use crate::download::DownloadError;
use crate::error::classified;
use crate::session::{SessionError, meets_session};
use crate::waybill::WaybillError;
use crate::yard::YardError;

/// Why nothing could be delivered. What goes wrong with one tool is told with it, and the others are delivered.
#[derive(Debug, thiserror::Error)]
pub enum DeliverError {
    #[error(transparent)]
    Waybill(#[from] WaybillError),
    #[error("no tool called \"{name}\" in the waybill")]
    NoTool { name: String, meant: Option<String> },
    #[error("{tool}: {why}; nothing was delivered")]
    Launcher { tool: String, why: String },
    #[error(transparent)]
    Download(#[from] DownloadError),
    #[error(transparent)]
    Check(#[from] CheckError),
    #[error(transparent)]
    Session(#[from] SessionError),
}

meets_session!(DeliverError: YardError);

classified!(DeliverError {
    Self::NoTool { meant, .. } => Call, meant.clone();
    Self::Launcher { .. } => Input, "correct 'runs' of the launcher in the waybill";
} from Waybill, Download, Check, Session);
