//! Taking out of PATH what no command needs.

use std::collections::BTreeSet;
use std::path::PathBuf;

use super::lines::{ListedPath, PathLine};
use super::outcome::{Outcome, step};
use super::proposal::Proposal;
use super::registry::Entries;
use super::report::{Step, StepKind};
use crate::folders::{SystemFolders, drive_away};
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
/// offered, and so is what belongs to another scope, or what a line of somebody else puts there.
pub(super) fn tidy(session: &Session, sight: &ListedPath, scope: Scope) -> Result<Outcome, JobError> {
    let mut commands = Commands::new(sight.system);
    let mut outcome = Outcome::of(sight);
    let mut kept: Vec<usize> = (0..sight.lines.len()).collect();
    let own = session.yard.own_entries()?;
    let of_system = SystemFolders::of(&session.machine.environment);
    let folders =
        |kept: &[usize]| -> Vec<PathBuf> { kept.iter().map(|at| sight.lines[*at].1.expanded.to_path_buf()).collect() };
    let mut next = 0;
    while next < sight.lines.len() {
        let entry = sight.of_entry(next);
        let (of, line) = &sight.lines[next];
        next += entry.len();
        let Some(reason) = entry_needless(sight, &kept, &entry, &of_system) else { continue };
        let without: Vec<usize> = kept.iter().copied().filter(|other| !entry.contains(other)).collect();
        let changes = commands.changes(&folders(&kept), &folders(&without));
        let is_ours = sight.system == System::Windows
            || own.iter().any(|e| *line.expanded == *e.folder && !matches!(e.place, Position::Before(_)));
        let in_scope = sight.system == System::Unix || *of == scope;
        let done = changes.is_empty() && is_ours && in_scope;
        let command = (!done && is_ours).then(|| drop_command(sight.system, &line.raw, *of));
        if !is_ours {
            outcome.proposals.push(Proposal::of(&line.raw, line.origin.as_ref(), &session.machine.home));
        }
        let reason = match changes.first() {
            Some(first) => format!("{reason}, but removing it changes {}", first.name),
            None => reason,
        };
        let folder = line.expanded.to_path_buf();
        outcome.steps.push(Step { folder, done, command, ..step(&line.raw, *of, StepKind::Drop, reason) });
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
        System::Windows => {
            let gone = gone.iter().map(|at| sight.lines[*at].1.entry).collect();
            outcome.parts = tidied(session, scope, &gone, &mut outcome.steps)?;
        }
        System::Unix => {}
    }
    Ok(outcome)
}

fn drop_command(system: System, raw: &ReportPath, of: Scope) -> String {
    let whose = if system == System::Windows && of == Scope::System { " --scope system" } else { "" };
    // An empty entry cannot be named.
    match raw.as_os_str().is_empty() {
        true => format!("wyard path tidy{whose}"),
        false => suggested_line(system, &format!("path drop {{}}{whose}"), &[raw]),
    }
}

/// The parts of the scope's value, where they change: without the entries that go, and without empty parts. Those of the other
/// scope are only told.
fn tidied(
    session: &Session,
    scope: Scope,
    gone: &BTreeSet<usize>,
    steps: &mut Vec<Step>,
) -> Result<Vec<(Scope, Vec<String>)>, JobError> {
    let entries = Entries::read(session)?;
    let empty = |of| entries.of(of).iter().filter(|raw| raw.is_empty()).count();
    for of in [Scope::System, Scope::User] {
        let (raw, done) = (ReportPath::default(), of == scope);
        for _ in 0..if done { empty(of) } else { empty(of).min(1) } {
            let command = (!done).then(|| drop_command(System::Windows, &raw, of));
            steps.push(Step { done, command, ..step(&raw, of, StepKind::Drop, "empty entry") });
        }
    }
    let before = entries.of(scope);
    let stays = |(at, raw): &(usize, &String)| !raw.is_empty() && !gone.contains(at);
    let kept: Vec<String> = before.iter().enumerate().filter(stays).map(|(_, raw)| raw.clone()).collect();
    Ok(if kept == before { Vec::new() } else { vec![(scope, kept)] })
}

/// Why nobody needs an entry: none of its folders, where it has several.
fn entry_needless(sight: &ListedPath, kept: &[usize], entry: &[usize], of_system: &SystemFolders) -> Option<String> {
    let mut reasons = entry.iter().map(|at| {
        let (_, line) = &sight.lines[*at];
        // What a session starts with is the system's own business.
        let of_session = line.origin.as_ref().is_some_and(|origin| origin.found == Found::Session);
        needless(sight, kept, *at, of_system).filter(|_| line.tool.is_none() && !of_session && line.stands_alone)
    });
    let first = reasons.next()??;
    let others = reasons.collect::<Option<Vec<String>>>()?;
    Some(match others.is_empty() {
        true => first,
        false if entry.iter().all(|at| !sight.lines[*at].1.exists) => {
            format!("none of its {} folders exists", entry.len())
        }
        false => format!("each of its {} folders is missing or comes earlier in PATH", entry.len()),
    })
}

fn needless(sight: &ListedPath, kept: &[usize], at: usize, of_system: &SystemFolders) -> Option<String> {
    let line: &PathLine = &sight.lines[at].1;
    let earlier = kept
        .iter()
        .take_while(|other| **other < at)
        .find(|other| same_place(&sight.lines[**other].1.expanded, &line.expanded, sight.system));
    if let Some(earlier) = earlier {
        return Some(format!("same folder as {}, earlier in PATH", sight.lines[*earlier].1.raw));
    }
    let is_away = || drive_away(&line.expanded, sight.system).is_some();
    if !line.exists && line.expanded.is_absolute() && !is_away() && !of_system.need(&line.expanded) {
        return Some("its folder does not exist".to_owned());
    }
    None
}
