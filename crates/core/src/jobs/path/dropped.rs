//! A folder taken out of PATH.

use std::path::Path;

use super::error::PathError;
use super::lines::{ListedPath, PathLine};
use super::outcome::{Outcome, step};
use super::proposal::Proposal;
use super::registry::Parts;
use super::report::{Step, StepKind};
use crate::report::ReportPath;
use crate::resolve::same_place;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::system::System;
use crate::yard::Position;

pub(super) fn drop(session: &Session, sight: &ListedPath, folder: &Path) -> Result<Outcome, JobError> {
    let leads = |line: &PathLine| same_place(&line.expanded, folder, sight.system);
    let own = session.yard.own_entries()?;
    let is_own = own.iter().any(|entry| same_place(&entry.folder, folder, sight.system));
    if !is_own {
        let (_, line) = &sight.lines[sight.find(folder)?];
        if let Some(tool) = &line.tool {
            return Err(PathError::OfTool { folder: folder.to_owned(), tool: tool.clone() }.into());
        }
    }
    let mut outcome = Outcome::of(sight);
    if sight.system == System::Windows {
        outcome.after.retain(|(_, line)| !leads(line));
        let parts = Parts::read(session)?;
        for scope in [Scope::System, Scope::User] {
            let all = parts.of(scope);
            let (gone, kept): (Vec<_>, Vec<_>) = all
                .into_iter()
                .partition(|part| !part.is_empty() && same_place(&parts.folder(scope, part), folder, sight.system));
            if !gone.is_empty() {
                outcome.steps.extend(
                    gone.into_iter().map(|part| step(&ReportPath::from(part), scope, StepKind::Drop, "requested")),
                );
                outcome.parts.push((scope, kept));
            }
        }
        return Ok(outcome);
    }
    if is_own {
        // What was only moved stays in PATH: somebody else has put it there.
        let moved = own
            .iter()
            .filter(|e| same_place(&e.folder, folder, sight.system))
            .all(|e| matches!(e.place, Position::Before(_)));
        let reason = if moved { "back to its original position" } else { "requested" };
        outcome.open = moved;
        if !moved {
            outcome.after.retain(|(_, line)| !leads(line));
        }
        outcome.steps.push(step(&folder.into(), Scope::User, StepKind::Drop, reason));
        outcome.own = Some(own.into_iter().filter(|entry| !same_place(&entry.folder, folder, sight.system)).collect());
        return Ok(outcome);
    }
    for (scope, line) in sight.lines.iter().filter(|(_, line)| leads(line)) {
        let reason = "a line outside Wagon Yard's block adds it";
        outcome.steps.push(Step { done: false, ..step(&line.raw, *scope, StepKind::Drop, reason) });
        outcome.proposals.push(Proposal::of(&line.raw, line.origin.as_ref(), &session.machine.home));
    }
    Ok(outcome)
}
