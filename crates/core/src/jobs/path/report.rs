//! What came of `path`.

use std::path::PathBuf;

use serde::Serialize;

use super::lines::PathScope;
use super::proposal::Proposal;
use crate::order::MeaningChange;
use crate::report::{ReportPath, report_body};
use crate::scope::Scope;
use crate::store::StoreChanges;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum PathAction {
    Show,
    Add,
    Drop,
    Move,
    /// What no command needs taken out.
    Tidy,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct PathState {
    pub action: PathAction,
    pub dry_run: bool,
    pub changed: bool,
    /// PATH as it is, or as it will be in a new terminal.
    pub scopes: Vec<PathScope>,
    pub steps: Vec<Step>,
    pub meanings: Vec<MeaningChange>,
    pub proposals: Vec<Proposal>,
    #[serde(flatten)]
    pub stores: StoreChanges,
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
            stores: StoreChanges::default(),
        }
    }
}

report_body!(PathState = "path");

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum StepKind {
    Add,
    Drop,
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

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Step {
    pub entry: ReportPath,
    #[serde(skip)]
    pub folder: PathBuf,
    pub scope: Scope,
    pub does: StepKind,
    pub reason: String,
    /// Whether it is done, or only offered because it changes what a command means or is not ours to do.
    pub done: bool,
    /// The command that does it by itself, where it is offered and there is one.
    pub command: Option<String>,
}
