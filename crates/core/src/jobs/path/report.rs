//! What came of `path`.

use std::path::PathBuf;

use serde::Serialize;

use super::lines::PathScope;
use super::proposal::Proposal;
use crate::order::MeaningChange;
use crate::report::{ReportBody, ReportPath};
use crate::scope::Scope;
use crate::store::{RegistryChange, StartupChange};

/// What was asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum PathAction {
    /// To see PATH.
    Show,
    /// A folder put in.
    Add,
    /// A folder taken out.
    Drop,
    /// A folder put before another one.
    Move,
    /// What no command needs taken out.
    Tidy,
}

/// PATH, and what was done to it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PathState {
    /// What was asked for.
    pub action: PathAction,
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
}

impl PathState {
    pub(super) fn new(action: PathAction, dry_run: bool) -> Self {
        Self {
            action,
            dry_run,
            changed: false,
            scopes: Vec::new(),
            steps: Vec::new(),
            meanings: Vec::new(),
            proposals: Vec::new(),
            startup_files: Vec::new(),
            registry_values: Vec::new(),
        }
    }
}

impl ReportBody for PathState {
    fn name(&self) -> &'static str {
        "path"
    }
}

/// What is done to an entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum StepKind {
    /// It is put in.
    Add,
    /// It is taken out.
    Drop,
    /// It goes to another place.
    Move,
}

impl StepKind {
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Add => "add",
            Self::Drop => "drop",
            Self::Move => "move",
        }
    }
}

/// Something done to an entry, or offered.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Step {
    /// The entry, as written.
    pub entry: ReportPath,
    /// The folder it leads to.
    #[serde(skip)]
    pub folder: PathBuf,
    /// Whose PATH it stands in.
    pub scope: Scope,
    /// What is done.
    pub does: StepKind,
    /// Why.
    pub reason: String,
    /// Whether it is done, or only offered because it changes what a command means or is not ours to do.
    pub done: bool,
    /// The command that does it by itself, where it is offered and there is one.
    pub command: Option<String>,
}
