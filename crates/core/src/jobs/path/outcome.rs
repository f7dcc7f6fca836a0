//! What a change of PATH comes to, before it is made.

use super::lines::{ListedPath, PathLine};
use super::proposal::Proposal;
use super::report::{Step, StepKind};
use crate::report::ReportPath;
use crate::scope::Scope;
use crate::yard::OwnEntry;

#[derive(Default)]
pub(super) struct Outcome {
    /// PATH afterwards, as far as it can be predicted.
    pub after: Vec<(Scope, PathLine)>,
    /// Whether only a new terminal can tell what it will be.
    pub open: bool,
    pub steps: Vec<Step>,
    pub proposals: Vec<Proposal>,
    /// The user's own entries afterwards, where they change; Unix only.
    pub own: Option<Vec<OwnEntry>>,
    /// The parts of a scope's value afterwards; Windows only.
    pub parts: Vec<(Scope, Vec<String>)>,
}

impl Outcome {
    pub fn of(sight: &ListedPath) -> Self {
        Self { after: sight.lines.clone(), ..Self::default() }
    }
}

pub(super) fn step(entry: &ReportPath, scope: Scope, does: StepKind, reason: impl Into<String>) -> Step {
    let folder = entry.to_path_buf();
    Step { entry: entry.clone(), folder, scope, does, reason: reason.into(), done: true, command: None }
}
