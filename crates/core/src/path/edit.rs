//! Changes of PATH: what becomes of the entries, and how the stores are brought to it.

use std::path::{Path, PathBuf};

use super::lines::{self, PathLine, Sight, is_same};
use super::meanings::Commands;
use super::registry::Parts;
use super::{PathEdit, PathError, PathReport, Proposal, Step, tidy};
use crate::finding::{Code, Finding};
use crate::machine::Machine;
use crate::os;
use crate::path_list::check_entry;
use crate::progress::Stop;
use crate::receive::Registrar;
use crate::store::registry::{PathBefore, RegistryPlan};
use crate::store::{OwnEntry, Place, StorePlan};
use crate::system::System;
use crate::yard::{Acts, Change, Scope, Yard, YardError};

/// How the stores come to a change.
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

pub(super) fn change(
    machine: &Machine,
    wanted: &PathEdit,
    dry_run: bool,
    stop: &Stop,
) -> Result<PathReport, PathError> {
    let yard = Yard::of(machine);
    let settings = yard.settings()?;
    let absolute = |folder: &Path| std::path::absolute(folder).map_err(|_| PathError::NoFolder(folder.to_owned()));
    let lock = if dry_run { None } else { Some(yard.lock()?) };
    let sight = lines::look(machine, stop)?;
    let (action, outcome) = match wanted {
        PathEdit::Add { folder, last, scope } => {
            ("add", add(machine, &yard, &sight, &absolute(folder)?, *last, *scope)?)
        }
        PathEdit::Drop { folder } => ("drop", drop(machine, &yard, &sight, &absolute(folder)?)?),
        PathEdit::Move { folder, before } => {
            ("move", shift(machine, &yard, &sight, &absolute(folder)?, &absolute(before)?)?)
        }
        PathEdit::Tidy => ("tidy", tidy::tidy(machine, &yard, &sight)?),
    };
    let mut report = PathReport::empty(action, dry_run);
    let folders: Vec<PathBuf> = outcome.after.iter().map(|(_, line)| line.expanded.clone()).collect();
    report.meanings = Commands::default().changes(&sight.folders(), &folders);
    report.scopes = lines::by_scope(outcome.after.into_iter());
    (report.steps, report.proposals) = (outcome.steps, outcome.proposals);
    let registrar = Registrar::new(machine, &yard, &settings, stop);
    let mut acts = Acts::default();
    let plan = match (outcome.own.clone(), outcome.parts.is_empty()) {
        (Some(own), _) => registrar.plan_own(&own)?,
        (None, false) => {
            let parts = Parts::read(machine)?;
            let plan = |(scope, new): &(Scope, Vec<String>)| parts.plan(&yard, *scope, new);
            let plans: Vec<RegistryPlan> = outcome.parts.iter().map(plan).collect::<Result<_, _>>()?;
            // What was not there before goes again with the last entry.
            let missing = plans.iter().filter(|plan| plan.path_is == PathBefore::Missing);
            let now_is: Vec<(Scope, PathBefore)> = missing.map(|plan| (plan.scope, plan.path_is)).collect();
            if !now_is.is_empty() {
                yard.put_path_before(&mut acts, &now_is, &yard.cards()?)?;
            }
            StorePlan::Registry(plans)
        }
        (None, true) => return Ok(report),
    };
    (report.startup_files, report.registry_values) = (plan.startup_files(), plan.registry_values());
    report.findings.extend(plan.findings());
    report.changed = true;
    if let Some(lock) = lock {
        if let Some(own) = outcome.own {
            yard.put_own_entries(&mut acts, own)?;
        }
        acts.extend(plan.acts(&yard.startup_before())?);
        lock.carry_out(Change { does: wanted.words(), undoes: None, acts }).map_err(YardError::from)?;
        // What a new terminal really has now counts, not what was predicted.
        let now = lines::look(machine, stop)?;
        let as_predicted = outcome.open || now.folders() == folders;
        if !as_predicted || !now.others.iter().all(|others| holds(wanted, others)) {
            let seen = "not every new terminal has the PATH that this change should give it";
            let remedy = "a line of a startup file that comes after Wagon Yard's block sets PATH again: move the block to the \
                          end of the file, or change that line";
            report.findings.push(Finding::new(Code::ChangeUndone, seen).remedy(remedy));
        }
        report.meanings = Commands::default().changes(&sight.folders(), &now.folders());
        report.scopes = now.scopes();
    }
    Ok(report)
}

/// Whether a terminal's PATH has what was asked for, as far as that can be said of any.
fn holds(wanted: &PathEdit, folders: &[PathBuf]) -> bool {
    let place = |wanted: &Path| folders.iter().position(|folder| is_same(folder, wanted));
    match wanted {
        PathEdit::Add { folder, .. } => std::path::absolute(folder).is_ok_and(|folder| place(&folder).is_some()),
        PathEdit::Move { folder, before } => place(folder).zip(place(before)).is_none_or(|(at, before)| at < before),
        PathEdit::Drop { .. } | PathEdit::Tidy => true,
    }
}

fn step(entry: impl Into<String>, scope: Scope, does: &'static str, reason: impl Into<String>) -> Step {
    Step { entry: entry.into(), scope, does, reason: reason.into(), done: true, command: None }
}

fn add(
    machine: &Machine,
    yard: &Yard,
    sight: &Sight,
    folder: &Path,
    last: bool,
    scope: Scope,
) -> Result<Outcome, PathError> {
    // On Unix PATH is not kept by scope: whose yard it is decides.
    let scope = if os::HERE == System::Unix { Scope::User } else { scope };
    if !folder.is_dir() {
        return Err(PathError::NoFolder(folder.to_owned()));
    }
    check_entry(folder, os::HERE).map_err(|source| PathError::Entry { folder: folder.to_owned(), source })?;
    let raw = folder.to_string_lossy().into_owned();
    let line = PathLine { raw: raw.clone(), expanded: folder.to_owned(), exists: true, tool: None, origin: None };
    let has_it = |others: &Vec<PathBuf>| others.iter().any(|other| is_same(other, folder));
    let there = sight.lines.iter().any(|(of, line)| *of == scope && is_same(&line.expanded, folder))
        && sight.others.iter().all(has_it);
    let mut outcome = Outcome { after: sight.lines.clone(), ..Outcome::default() };
    if there {
        return Ok(outcome);
    }
    outcome.steps.push(step(raw.clone(), scope, "add", "you asked for it"));
    let of_scope = |at: usize| sight.lines.iter().take(at).filter(|(of, _)| *of == scope).count();
    let first = sight.lines.iter().position(|(of, _)| *of == scope).unwrap_or(sight.lines.len());
    match os::HERE {
        System::Unix => {
            let mut own = yard.own_entries()?;
            let place = if last { Place::Last } else { Place::First };
            // The folders of tools stay in front.
            outcome.after.retain(|(_, there)| there.expanded != line.expanded);
            let tools = outcome.after.iter().take_while(|(_, line)| line.tool.is_some()).count();
            outcome.after.insert(if last { outcome.after.len() } else { tools }, (scope, line));
            own.insert(if last { own.len() } else { 0 }, OwnEntry { folder: folder.to_owned(), place });
            outcome.own = Some(own);
        }
        System::Windows => {
            let at = if last { first + of_scope(sight.lines.len()) } else { first };
            outcome.after.insert(at, (scope, line));
            let mut parts = Parts::read(machine)?.of(scope);
            parts.insert(if last { parts.len() } else { 0 }, raw);
            outcome.parts = vec![(scope, parts)];
        }
    }
    Ok(outcome)
}

fn drop(machine: &Machine, yard: &Yard, sight: &Sight, folder: &Path) -> Result<Outcome, PathError> {
    let leads = |line: &PathLine| is_same(&line.expanded, folder);
    let own = yard.own_entries()?;
    let is_own = own.iter().any(|entry| is_same(&entry.folder, folder));
    if !is_own {
        let (_, line) = &sight.lines[sight.find(folder)?];
        if let Some(tool) = &line.tool {
            return Err(PathError::OfTool { folder: folder.to_owned(), tool: tool.clone() });
        }
    }
    let mut outcome = Outcome { after: sight.lines.clone(), ..Outcome::default() };
    if os::HERE == System::Windows {
        outcome.after.retain(|(_, line)| !leads(line));
        let parts = Parts::read(machine)?;
        for scope in [Scope::System, Scope::User] {
            let all = parts.of(scope);
            let (gone, kept): (Vec<_>, Vec<_>) =
                all.into_iter().partition(|part| !part.is_empty() && is_same(&parts.folder(part), folder));
            if !gone.is_empty() {
                outcome.steps.extend(gone.into_iter().map(|part| step(part, scope, "drop", "you asked for it")));
                outcome.parts.push((scope, kept));
            }
        }
        return Ok(outcome);
    }
    if is_own {
        // What was only moved stays in PATH: somebody else has put it there.
        let moved = own.iter().filter(|e| is_same(&e.folder, folder)).all(|e| matches!(e.place, Place::Before(_)));
        let reason = if moved { "it goes back to where others put it" } else { "you asked for it" };
        outcome.open = moved;
        if !moved {
            outcome.after.retain(|(_, line)| !leads(line));
        }
        outcome.steps.push(step(folder.to_string_lossy(), Scope::User, "drop", reason));
        outcome.own = Some(own.into_iter().filter(|entry| !is_same(&entry.folder, folder)).collect());
        return Ok(outcome);
    }
    for (scope, line) in sight.lines.iter().filter(|(_, line)| leads(line)) {
        let reason = "a line that is not Wagon Yard's puts it there";
        outcome.steps.push(Step { done: false, ..step(line.raw.clone(), *scope, "drop", reason) });
        outcome.proposals.push(Proposal::of(&line.raw, line.origin.as_ref(), &machine.home));
    }
    Ok(outcome)
}

fn shift(machine: &Machine, yard: &Yard, sight: &Sight, folder: &Path, before: &Path) -> Result<Outcome, PathError> {
    if is_same(folder, before) {
        return Err(PathError::Same);
    }
    let (from, to) = (sight.find(folder)?, sight.find(before)?);
    let ((scope, moved), (other_scope, other)) = (sight.lines[from].clone(), sight.lines[to].clone());
    let mut outcome = Outcome { after: sight.lines.clone(), ..Outcome::default() };
    if from + 1 == to {
        return Ok(outcome);
    }
    let reason = format!("it goes directly before {}", other.raw);
    outcome.steps.push(step(moved.raw.clone(), scope, "move", reason));
    if os::HERE == System::Windows {
        if scope != other_scope {
            return Err(PathError::AcrossScopes { folder: folder.to_owned(), before: before.to_owned() });
        }
        let parts = Parts::read(machine)?;
        let mut of_scope = parts.of(scope);
        if let (Some(from), Some(_)) = (parts.find(scope, folder), parts.find(scope, before)) {
            let part = of_scope.remove(from);
            let to = of_scope.iter().position(|part| !part.is_empty() && is_same(&parts.folder(part), before));
            of_scope.insert(to.unwrap_or(0), part);
        }
        let line = outcome.after.remove(from);
        outcome.after.insert(if from < to { to - 1 } else { to }, line);
        outcome.parts = vec![(scope, of_scope)];
        return Ok(outcome);
    }
    let entry = OwnEntry { folder: moved.expanded.clone(), place: Place::Before(other.expanded.clone()) };
    let is = |(_, line): &(Scope, PathLine), path: &PathBuf| line.expanded == *path;
    outcome.after = entry.applied(&sight.lines, is, |_| (scope, moved.clone()));
    let mut own = yard.own_entries()?;
    // An earlier move of the same folder is overtaken by this one.
    own.retain(|earlier| earlier.folder != entry.folder || !matches!(earlier.place, Place::Before(_)));
    own.push(entry);
    outcome.own = Some(own);
    Ok(outcome)
}
