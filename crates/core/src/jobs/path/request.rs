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
    /// Put a folder in, in front or at the end; on Windows by a reference to a variable, where it holds one.
    Add {
        folder: PathBuf,
        last: bool,
        scope: Scope,
        /// Whether others may be able to put programs into it.
        trusts: bool,
    },
    /// Take an entry out, given by its folder or, on Windows, as it is written; an empty one is all that are empty.
    Drop { entry: PathBuf, scope: Scope },
    /// Put an entry directly before another one.
    Move { entry: PathBuf, before: PathBuf, scope: Scope },
    /// Take out what no command needs; of another scope that is only offered.
    Tidy { scope: Scope },
}

impl PathEdit {
    pub(super) fn action(&self) -> PathAction {
        match self {
            Self::Add { .. } => PathAction::Add,
            Self::Drop { .. } => PathAction::Drop,
            Self::Move { .. } => PathAction::Move,
            Self::Tidy { .. } => PathAction::Tidy,
        }
    }

    /// What it does, in words.
    pub(super) fn describe(&self) -> String {
        match self {
            Self::Add { folder, .. } => format!("add {} to PATH", folder.display()),
            Self::Drop { entry, .. } => format!("remove {} from PATH", entry.display()),
            Self::Move { entry, before, .. } => format!("move {} before {} in PATH", entry.display(), before.display()),
            Self::Tidy { .. } => "tidy PATH".to_owned(),
        }
    }
}
