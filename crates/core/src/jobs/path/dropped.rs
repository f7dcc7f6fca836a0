//! A folder taken out of PATH.

use std::collections::BTreeSet;
use std::path::Path;

use super::error::PathError;
use super::lines::{ListedPath, PathLine};
use super::outcome::{Outcome, step};
use super::proposal::Proposal;
use super::registry::{Entries, entry_in, keeps_the_systems};
use super::report::{Step, StepKind};
use crate::folders::SystemFolders;
use crate::report::ReportPath;
use crate::resolve::same_place;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::system::System;
use crate::yard::Position;

pub(super) fn drop(session: &Session, sight: &ListedPath, wanted: &Path, scope: Scope) -> Result<Outcome, JobError> {
    if sight.system == System::Windows {
        return from_registry(session, sight, wanted, scope);
    }
    let folder = wanted;
    let leads = |line: &PathLine| same_place(&line.expanded, folder, sight.system);
    let own = session.yard.own_entries()?;
    let is_own = own.iter().any(|entry| same_place(&entry.folder, folder, sight.system));
    if !is_own {
        not_of_tool(sight, &[sight.find(folder)?])?;
    }
    let mut outcome = Outcome::of(sight);
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

fn not_of_tool(sight: &ListedPath, lines: &[usize]) -> Result<(), PathError> {
    for (scope, line) in lines.iter().map(|at| &sight.lines[*at]) {
        if let Some(tool) = line.tool.clone() {
            return Err(PathError::OfTool { folder: line.expanded.to_path_buf(), tool, scope: *scope });
        }
    }
    Ok(())
}

/// Takes entries out of a scope's value: all that lead to a folder, all that are written like that, or all that are empty.
fn from_registry(session: &Session, sight: &ListedPath, wanted: &Path, scope: Scope) -> Result<Outcome, JobError> {
    let all = Entries::read(session)?.of(scope);
    let mut outcome = Outcome::of(sight);
    let gone: BTreeSet<usize> = if wanted.as_os_str().is_empty() {
        (0..all.len()).filter(|at| all[*at].is_empty()).collect()
    } else {
        entry_in(sight, wanted, scope)?;
        let lines: Vec<usize> = sight.named(wanted).into_iter().filter(|at| sight.lines[*at].0 == scope).collect();
        not_of_tool(sight, &lines)?;
        for line in &lines {
            let (_, named) = &sight.lines[*line];
            if sight.of_entry(*line).iter().any(|other| !lines.contains(other)) {
                let entry = named.raw.text().into_owned();
                return Err(PathError::OneOfSeveral { folder: wanted.to_owned(), entry }.into());
            }
        }
        lines.into_iter().map(|at| sight.lines[at].1.entry).collect()
    };
    outcome.after.retain(|(of, line)| *of != scope || !gone.contains(&line.entry));
    outcome.steps =
        gone.iter().map(|at| step(&ReportPath::from(all[*at].clone()), scope, StepKind::Drop, "requested")).collect();
    let of_system = SystemFolders::of(&session.machine.environment);
    keeps_the_systems(sight, &outcome.after, |folder| of_system.need(folder))?;
    if !gone.is_empty() {
        let kept = all.into_iter().enumerate().filter(|(at, _)| !gone.contains(at)).map(|(_, raw)| raw).collect();
        outcome.parts.push((scope, kept));
    }
    Ok(outcome)
}
