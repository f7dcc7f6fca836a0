//! Taking out of PATH what no command needs.

use std::path::PathBuf;

use super::lines::{ListedPath, PathLine};
use super::outcome::{Outcome, step};
use super::proposal::Proposal;
use super::registry::Parts;
use super::report::{Step, StepKind};
use crate::folders::drive_away;
use crate::order::Commands;
use crate::report::ReportPath;
use crate::resolve::same_place;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::suggestion::suggested_line;
use crate::system::System;
use crate::terminal::Found;
use crate::yard::Position;

/// Goes through the entries and takes out those that need not be there. What changes the meaning of a command is only
/// offered, and so is what a line of somebody else puts there.
pub(super) fn tidy(session: &Session, sight: &ListedPath) -> Result<Outcome, JobError> {
    let mut commands = Commands::new(sight.system);
    let mut outcome = Outcome::of(sight);
    let mut kept: Vec<usize> = (0..sight.lines.len()).collect();
    let own = session.yard.own_entries()?;
    let folders =
        |kept: &[usize]| -> Vec<PathBuf> { kept.iter().map(|at| sight.lines[*at].1.expanded.to_path_buf()).collect() };
    for at in 0..sight.lines.len() {
        let (scope, line) = &sight.lines[at];
        // What a session starts with is the system's own business.
        let of_system = line.origin.as_ref().is_some_and(|origin| origin.found == Found::Session);
        let Some(reason) = needless(sight, &kept, at).filter(|_| line.tool.is_none() && !of_system) else { continue };
        let without: Vec<usize> = kept.iter().copied().filter(|other| *other != at).collect();
        let changes = commands.changes(&folders(&kept), &folders(&without));
        let is_ours = sight.system == System::Windows
            || own.iter().any(|e| *line.expanded == *e.folder && !matches!(e.place, Position::Before(_)));
        let done = changes.is_empty() && is_ours;
        let command = (!done && is_ours).then(|| suggested_line(sight.system, "path drop {}", &[&line.raw]));
        if !is_ours {
            outcome.proposals.push(Proposal::of(&line.raw, line.origin.as_ref(), &session.machine.home));
        }
        let reason = match changes.first() {
            Some(first) => format!("{reason}, but removing it changes {}", first.name),
            None => reason,
        };
        let folder = line.expanded.to_path_buf();
        outcome.steps.push(Step { folder, done, command, ..step(&line.raw, *scope, StepKind::Drop, reason) });
        if done {
            kept = without;
        }
    }
    let gone: Vec<usize> = (0..sight.lines.len()).filter(|at| !kept.contains(at)).collect();
    outcome.after = kept.iter().map(|at| sight.lines[*at].clone()).collect();
    match sight.system {
        System::Unix if !gone.is_empty() => {
            let is_gone = |folder: &PathBuf| gone.iter().any(|at| sight.lines[*at].1.expanded == **folder);
            outcome.own = Some(own.into_iter().filter(|entry| !is_gone(&entry.folder)).collect());
        }
        System::Windows => outcome.parts = tidied(session, sight, &gone, &mut outcome.steps)?,
        System::Unix => {}
    }
    Ok(outcome)
}

/// The parts of each scope's value that changes: without the entries that go, and without empty parts.
fn tidied(
    session: &Session,
    sight: &ListedPath,
    gone: &[usize],
    steps: &mut Vec<Step>,
) -> Result<Vec<(Scope, Vec<String>)>, JobError> {
    let all = Parts::read(session)?;
    let mut changed = Vec::new();
    let mut at = 0;
    for scope in [Scope::System, Scope::User] {
        let parts = all.of(scope);
        let mut kept = Vec::new();
        for part in &parts {
            if part.is_empty() {
                let reason = "empty entry";
                steps.push(step(&ReportPath::default(), scope, StepKind::Drop, reason));
                continue;
            }
            if !gone.contains(&at) {
                kept.push(part.clone());
            }
            at += 1;
        }
        if kept != parts {
            changed.push((scope, kept));
        }
    }
    debug_assert_eq!(at, sight.lines.len());
    Ok(changed)
}

fn needless(sight: &ListedPath, kept: &[usize], at: usize) -> Option<String> {
    let line: &PathLine = &sight.lines[at].1;
    let earlier = kept
        .iter()
        .take_while(|other| **other < at)
        .find(|other| same_place(&sight.lines[**other].1.expanded, &line.expanded, sight.system));
    if let Some(earlier) = earlier {
        return Some(format!("same folder as {}, earlier in PATH", sight.lines[*earlier].1.raw));
    }
    if !line.exists && line.expanded.is_absolute() && drive_away(&line.expanded, sight.system).is_none() {
        return Some("its folder does not exist".to_owned());
    }
    None
}
