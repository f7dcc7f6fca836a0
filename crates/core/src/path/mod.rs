//! PATH itself: shown with where each entry comes from, and changed: entries added, dropped, moved, and tidied.
//!
//! In the registry every edit is made. On Unix only what the yard's generated files do is changed; lines that others have
//! written are never rewritten, but the change is proposed.

mod edit;
mod lines;
mod meanings;
mod mend;
mod proposal;
mod registry;
mod tidy;

use std::path::PathBuf;

pub use lines::{PathLine, PathScope};
pub use meanings::MeaningChange;
pub use mend::{folders, mend};
pub use proposal::Proposal;
pub(crate) use registry::registry_origins;
use serde::Serialize;

use crate::error::{Blame, Blamed, FileError};
use crate::finding::Finding;
use crate::machine::Machine;
use crate::path_list::EntryError;
use crate::progress::Stop;
use crate::receive::ReceiveError;
use crate::store::registry::RegistryError;
use crate::store::{RegistryChange, StartupChange, StorePlanError};
use crate::yard::{Scope, YardError};

/// What to do to PATH.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PathEdit {
    /// Put a folder in, in front or at the end.
    Add {
        /// The folder.
        folder: PathBuf,
        /// Whether it goes to the end.
        last: bool,
        /// Whose PATH.
        scope: Scope,
    },
    /// Take a folder out.
    Drop {
        /// The folder.
        folder: PathBuf,
    },
    /// Put a folder that is in PATH directly before another one that is.
    Move {
        /// The folder.
        folder: PathBuf,
        /// The one it is to stand before.
        before: PathBuf,
    },
    /// Take out what no command needs.
    Tidy,
}

impl PathEdit {
    /// What it does, in words.
    fn words(&self) -> String {
        match self {
            Self::Add { folder, .. } => format!("put {} into PATH", folder.display()),
            Self::Drop { folder } => format!("take {} out of PATH", folder.display()),
            Self::Move { folder, before } => format!("move {} before {} in PATH", folder.display(), before.display()),
            Self::Tidy => "tidy PATH".to_owned(),
        }
    }
}

/// The report of all `path` commands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct PathReport {
    /// The format number.
    pub format: u32,
    /// `path`.
    pub report: &'static str,
    /// `show`, `add`, `drop`, `move` or `tidy`.
    pub action: &'static str,
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// Whether anything was changed, or would be.
    pub changed: bool,
    /// PATH as it is, or as it will be in a new terminal.
    pub scopes: Vec<PathScope>,
    /// What is done to entries, and why.
    pub steps: Vec<Step>,
    /// The commands that mean another file afterwards.
    pub meanings: Vec<MeaningChange>,
    /// Changes of lines that others have written.
    pub proposals: Vec<Proposal>,
    /// What happens to the startup files.
    pub startup_files: Vec<StartupChange>,
    /// What happens to values of the registry.
    pub registry_values: Vec<RegistryChange>,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}

/// Something done to an entry, or offered.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Step {
    /// The entry, as written.
    pub entry: String,
    /// Whose PATH it stands in.
    pub scope: Scope,
    /// What is done: `add`, `drop`, `move` or `rewrite`.
    pub does: &'static str,
    /// Why.
    pub reason: String,
    /// Whether it is done, or only offered because it changes what a command means or is not ours to do.
    pub done: bool,
    /// The command that does it by itself, where it is offered and there is one.
    pub command: Option<String>,
}

/// Why PATH could not be looked at or changed.
#[derive(Debug, thiserror::Error)]
pub enum PathError {
    /// The yard's records.
    #[error(transparent)]
    Yard(#[from] YardError),
    /// The stores.
    #[error(transparent)]
    Store(#[from] ReceiveError),
    /// A file or the registry's key.
    #[error(transparent)]
    File(#[from] FileError),
    /// No folder is there.
    #[error("{} is not a folder that is there", .0.display())]
    NoFolder(PathBuf),
    /// No entry of PATH leads to it.
    #[error("no entry of a new terminal's PATH leads to {}", .0.display())]
    NotInPath(PathBuf),
    /// The folder cannot stand in PATH.
    #[error("{} can't stand in PATH", folder.display())]
    Entry {
        /// The folder.
        folder: PathBuf,
        /// Why not.
        #[source]
        source: EntryError,
    },
    /// The folder is a tool's.
    #[error("{} is a command folder of {tool}", folder.display())]
    OfTool {
        /// The folder.
        folder: PathBuf,
        /// The tool.
        tool: String,
    },
    /// Both are the same.
    #[error("a folder can't be moved before itself")]
    Same,
    /// The system's entries stand before the user's.
    #[error("{} stands in the user's PATH, and {} in the system's, which comes first as a whole", folder.display(), before.display())]
    AcrossScopes {
        /// The folder to be moved.
        folder: PathBuf,
        /// The one it should stand before.
        before: PathBuf,
    },
    /// Nobody could be asked.
    #[error("no shell could be asked for a new terminal's PATH")]
    NoAnswer,
    /// The user asked to stop.
    #[error("interrupted; nothing was changed")]
    Interrupted,
}

impl Blamed for PathError {
    fn blame(&self) -> Blame {
        match self {
            Self::Yard(e) => e.blame(),
            Self::Store(e) => e.blame(),
            Self::File(e) => e.blame(),
            Self::NoFolder(_)
            | Self::NotInPath(_)
            | Self::Entry { .. }
            | Self::OfTool { .. }
            | Self::Same
            | Self::AcrossScopes { .. } => Blame::Call,
            Self::NoAnswer => Blame::Machine,
            Self::Interrupted => Blame::Interrupted,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Yard(e) => e.hint(),
            Self::Store(e) => e.hint(),
            Self::File(e) => e.hint(),
            Self::NoFolder(_) => Some("give a folder that holds programs".to_owned()),
            Self::NotInPath(_) => {
                Some("'wyard path show' lists the entries; 'wyard path add DIR' puts one in".to_owned())
            }
            Self::OfTool { tool, .. } => Some(format!("run 'wyard unregister {tool}' to take the whole tool out")),
            Self::AcrossScopes { folder, .. } => {
                Some(format!("run 'wyard path add \"{}\" --scope system' in an elevated terminal", folder.display()))
            }
            Self::NoAnswer => Some("look at the shells' startup files, or at shells in settings.toml".to_owned()),
            Self::Entry { .. } | Self::Same | Self::Interrupted => None,
        }
    }
}

impl From<StorePlanError> for PathError {
    fn from(error: StorePlanError) -> Self {
        Self::Store(error.into())
    }
}

impl From<RegistryError> for PathError {
    fn from(error: RegistryError) -> Self {
        StorePlanError::from(error).into()
    }
}

/// Shows PATH as a new terminal has it.
///
/// # Errors
/// When records, shells or the registry give no answer.
pub fn show(machine: &Machine, stop: &Stop) -> Result<PathReport, PathError> {
    let sight = lines::look(machine, stop)?;
    Ok(PathReport { scopes: sight.scopes(), findings: sight.findings, ..PathReport::empty("show", false) })
}

/// Changes PATH, or tells what would be done.
///
/// # Errors
/// When it cannot be done; nothing is changed then.
pub fn change(machine: &Machine, wanted: &PathEdit, dry_run: bool, stop: &Stop) -> Result<PathReport, PathError> {
    edit::change(machine, wanted, dry_run, stop)
}

impl PathReport {
    fn empty(action: &'static str, dry_run: bool) -> Self {
        Self {
            format: 1,
            report: "path",
            action,
            dry_run,
            changed: false,
            scopes: Vec::new(),
            steps: Vec::new(),
            meanings: Vec::new(),
            proposals: Vec::new(),
            startup_files: Vec::new(),
            registry_values: Vec::new(),
            findings: Vec::new(),
        }
    }
}
