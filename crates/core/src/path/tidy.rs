//! Taking out of PATH what no command needs.

use std::path::PathBuf;

use super::edit::Outcome;
use super::lines::{PathLine, Sight, is_same};
use super::meanings::Commands;
use super::registry::Parts;
use super::{PathError, Proposal, Step};
use crate::machine::Machine;
use crate::os;
use crate::store::Place;
use crate::system::System;
use crate::terminal::Found;
use crate::yard::{Scope, Yard};

/// Goes through the entries and takes out those that need not be there. What changes the meaning of a command is only
/// offered, and so is what a line of somebody else puts there.
pub(super) fn tidy(machine: &Machine, yard: &Yard, sight: &Sight) -> Result<Outcome, PathError> {
    let mut commands = Commands::default();
    let mut outcome = Outcome { after: sight.lines.clone(), ..Outcome::default() };
    let mut kept: Vec<usize> = (0..sight.lines.len()).collect();
    let own = yard.own_entries()?;
    let folders =
        |kept: &[usize]| -> Vec<PathBuf> { kept.iter().map(|at| sight.lines[*at].1.expanded.clone()).collect() };
    for at in 0..sight.lines.len() {
        let (scope, line) = &sight.lines[at];
        // What a session starts with is the system's own business.
        let of_system = line.origin.as_ref().is_some_and(|origin| origin.found == Found::Session);
        let Some(reason) = needless(sight, &kept, at).filter(|_| line.tool.is_none() && !of_system) else { continue };
        let without: Vec<usize> = kept.iter().copied().filter(|other| *other != at).collect();
        let changes = commands.changes(&folders(&kept), &folders(&without));
        let is_ours = os::HERE == System::Windows
            || own.iter().any(|e| e.folder == line.expanded && !matches!(e.place, Place::Before(_)));
        let done = changes.is_empty() && is_ours;
        let command = (!done && is_ours).then(|| format!("wyard path drop \"{}\"", line.raw));
        if !is_ours {
            outcome.proposals.push(Proposal::of(&line.raw, line.origin.as_ref(), &machine.home));
        }
        let reason = match changes.first() {
            Some(first) => format!("{reason}, but without it {} would mean another file", first.name),
            None => reason,
        };
        outcome.steps.push(Step { entry: line.raw.clone(), scope: *scope, does: "drop", reason, done, command });
        if done {
            kept = without;
        }
    }
    let gone: Vec<usize> = (0..sight.lines.len()).filter(|at| !kept.contains(at)).collect();
    outcome.after = kept.iter().map(|at| sight.lines[*at].clone()).collect();
    match os::HERE {
        System::Unix if !gone.is_empty() => {
            let is_gone = |folder: &PathBuf| gone.iter().any(|at| sight.lines[*at].1.expanded == *folder);
            outcome.own = Some(own.into_iter().filter(|entry| !is_gone(&entry.folder)).collect());
        }
        System::Windows => outcome.parts = tidied(machine, sight, &gone, &mut outcome.steps)?,
        System::Unix => {}
    }
    Ok(outcome)
}

/// The parts of each scope's value that changes: without the entries that go, and without empty parts.
fn tidied(
    machine: &Machine,
    sight: &Sight,
    gone: &[usize],
    steps: &mut Vec<Step>,
) -> Result<Vec<(Scope, Vec<String>)>, PathError> {
    let all = Parts::read(machine)?;
    let mut changed = Vec::new();
    let mut at = 0;
    for scope in [Scope::System, Scope::User] {
        let parts = all.of(scope);
        let mut kept = Vec::new();
        for part in &parts {
            if part.is_empty() {
                let reason = "it is an empty part, which means nothing".to_owned();
                steps.push(Step { entry: String::new(), scope, does: "drop", reason, done: true, command: None });
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

/// Why an entry need not be there.
fn needless(sight: &Sight, kept: &[usize], at: usize) -> Option<String> {
    let line: &PathLine = &sight.lines[at].1;
    let earlier = kept
        .iter()
        .take_while(|other| **other < at)
        .find(|other| is_same(&sight.lines[**other].1.expanded, &line.expanded));
    if let Some(earlier) = earlier {
        return Some(format!("it leads to the same folder as {}, further in front", sight.lines[*earlier].1.raw));
    }
    if !line.exists && line.expanded.is_absolute() {
        return Some("its folder is not there".to_owned());
    }
    None
}
