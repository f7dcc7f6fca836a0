//! Why nothing could be delivered.

use crate::error::classified;

/// Why nothing could be delivered. What goes wrong with one tool is told with it, and the others are delivered.
#[derive(Debug, thiserror::Error)]
pub enum DeliverError {
    #[error("no tool called \"{name}\" in the waybill")]
    NoTool { name: String, meant: Option<String> },
    #[error("{tool}: {why}; nothing was delivered")]
    Launcher { tool: String, why: String },
}

classified!(DeliverError {
    Self::NoTool { meant, .. } => Call, meant.clone();
    Self::Launcher { .. } => Input, "correct 'runs' of the launcher in the waybill";
});
