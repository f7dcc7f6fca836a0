//! What is asked of `path`.

use std::path::PathBuf;

use super::report::PathAction;
use crate::scope::Scope;

/// What is asked of `path`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PathRequest {
    Show,
    Change { edit: PathEdit, dry_run: bool },
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PathEdit {
    /// Put a folder in, in front or at the end.
    Add {
        folder: PathBuf,
        last: bool,
        scope: Scope,
        /// Whether others may be able to put programs into it.
        trusts: bool,
    },
    Drop {
        folder: PathBuf,
    },
    /// Put a folder that is in PATH directly before another one that is.
    Move {
        folder: PathBuf,
        before: PathBuf,
    },
    /// Take out what no command needs.
    Tidy,
}

impl PathEdit {
    pub(super) fn action(&self) -> PathAction {
        match self {
            Self::Add { .. } => PathAction::Add,
            Self::Drop { .. } => PathAction::Drop,
            Self::Move { .. } => PathAction::Move,
            Self::Tidy => PathAction::Tidy,
        }
    }

    /// What it does, in words.
    pub(super) fn describe(&self) -> String {
        match self {
            Self::Add { folder, .. } => format!("add {} to PATH", folder.display()),
            Self::Drop { folder } => format!("remove {} from PATH", folder.display()),
            Self::Move { folder, before } => format!("move {} before {} in PATH", folder.display(), before.display()),
            Self::Tidy => "tidy PATH".to_owned(),
        }
    }
}
