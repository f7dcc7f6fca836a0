//! Changes of PATH: what becomes of the entries, and how the stores are brought to it.

use std::path::{Path, PathBuf};

use super::added::{Addition, add, is_reference};
use super::dropped::drop;
use super::error::PathError;
use super::lines::{self, ListedPath, PathScope};
use super::moved::shift;
use super::outcome::Outcome;
use super::registry::Entries;
use super::report::{PathAction, PathState};
use super::request::PathEdit;
use super::tidy::tidy;
use crate::change::{Change, Changeset};
use crate::finding::{Code, Finding};
use crate::folders::SystemFolders;
use crate::registry::PathBefore;
use crate::report::Report;
use crate::resolve::same_place;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::store::StorePlan;
use crate::store::registry::RegistryPlan;
use crate::system::System;
use crate::yard::OwnEntry;

/// Changes PATH, or says what would be done. What somebody else has to do is not done, and neither is what a startup file
/// undoes: then the report fails.
pub(super) fn change(session: &Session, wanted: &PathEdit, dry_run: bool) -> Result<Report<PathState>, JobError> {
    let lock = session.lock_unless(dry_run)?;
    let sight = lines::look(session)?;
    let mut outcome = outcome(session, &sight, wanted)?;
    let (before, folders) = before_and_after(session, &sight, &outcome)?;
    outcome
        .after
        .retain(|(_, line)| line.expanded.as_os_str().is_empty() || folders.contains(&line.expanded.to_path_buf()));
    let mut state = PathState::new(wanted.action(), dry_run);
    state.meanings = lines::meanings(sight.system, &before, &folders);
    state.scopes = lines::by_scope(outcome.after.into_iter());
    (state.steps, state.proposals) = (outcome.steps, outcome.proposals);
    let failed = state.action == PathAction::Drop && state.steps.iter().any(|step| !step.done);
    let Some((plan, mut changeset)) = stores(session, &outcome.own, &outcome.parts)? else {
        return Ok(Report::new(state).failed_if(failed));
    };
    state.stores = plan.changes();
    let mut findings = plan.findings();
    findings.extend(ahead_of_system(session, wanted, &state.scopes));
    state.changed = true;
    let Some(lock) = lock else { return Ok(Report::new(state).with_findings(findings).failed_if(failed)) };
    if let Some(own) = outcome.own {
        session.yard.put_own_entries(&mut changeset, own)?;
    }
    changeset.extend(plan.changeset(&session.yard.startup_before())?);
    lock.carry_out(Change { does: wanted.describe(), undoes: None, changeset })?;
    // What a new terminal really has now counts, not what was predicted.
    let now = lines::look(session)?;
    let as_predicted = outcome.open || filled(now.folders()) == filled(folders);
    let undone = !as_predicted || !now.others.iter().all(|others| holds(wanted, others, sight.system));
    if undone {
        let seen = "not every new terminal gets this change";
        let remedy = "a line of a startup file that comes after Wagon Yard's block sets PATH again: move the block to the \
                      end of the file, or change that line";
        findings.push(Finding::new(Code::ChangeUndone, seen).remedy(remedy));
    }
    state.meanings = lines::meanings(sight.system, &before, &now.folders());
    state.scopes = now.scopes();
    Ok(Report::new(state).with_findings(findings).failed_if(failed || undone))
}

/// PATH before and after the change. In the registry the whole value has to bear out what the entries say afterwards.
fn before_and_after(
    session: &Session,
    sight: &ListedPath,
    outcome: &Outcome,
) -> Result<(Vec<PathBuf>, Vec<PathBuf>), JobError> {
    let told: Vec<PathBuf> = outcome.after.iter().map(|(_, line)| line.expanded.to_path_buf()).collect();
    if sight.system == System::Unix || outcome.parts.is_empty() {
        return Ok((sight.folders(), told));
    }
    let entries = Entries::read(session)?;
    let after = entries.proved(&outcome.parts, &told)?;
    Ok((entries.folders(), after))
}

fn filled(folders: Vec<PathBuf>) -> Vec<PathBuf> {
    folders.into_iter().filter(|folder| !folder.as_os_str().is_empty()).collect()
}

fn outcome(session: &Session, sight: &ListedPath, wanted: &PathEdit) -> Result<Outcome, JobError> {
    let meant = |typed: &Path| match sight.system {
        // As an entry is written there, or empty.
        System::Windows if typed.as_os_str().is_empty() || is_reference(typed) => Ok(typed.to_owned()),
        _ => std::path::absolute(typed).map_err(|_| PathError::NoFolder(typed.to_owned())),
    };
    match wanted {
        PathEdit::Add { folder, last, scope, trusts } => {
            add(session, sight, Addition { wanted: &meant(folder)?, last: *last, scope: *scope, trusts: *trusts })
        }
        PathEdit::Drop { entry, scope } => drop(session, sight, &meant(entry)?, *scope),
        PathEdit::Move { entry, before, scope } => shift(session, sight, &meant(entry)?, &meant(before)?, *scope),
        PathEdit::Tidy { scope } => tidy(session, sight, *scope),
    }
}

/// What brings the stores to it, and the records that go with that; `None` where nothing is to be done.
fn stores(
    session: &Session,
    own: &Option<Vec<OwnEntry>>,
    parts: &[(Scope, Vec<String>)],
) -> Result<Option<(StorePlan, Changeset)>, JobError> {
    let mut changeset = Changeset::default();
    if let Some(own) = own {
        let stock = session.cards()?;
        let plan = session.registrar(&stock)?.plan_startup_files(own)?;
        return Ok(Some((StorePlan::Startup(plan), changeset)));
    }
    if parts.is_empty() {
        return Ok(None);
    }
    let all = Entries::read(session)?;
    let plan = |(scope, new): &(Scope, Vec<String>)| all.plan(session, *scope, new);
    let plans: Vec<RegistryPlan> = parts.iter().map(plan).collect::<Result<_, _>>()?;
    // What was not there before goes again with the last entry.
    let missing = plans.iter().filter(|plan| plan.path_is == PathBefore::Missing);
    let now_is: Vec<(Scope, PathBefore)> = missing.map(|plan| (plan.scope, plan.path_is)).collect();
    if !now_is.is_empty() {
        session.yard.put_path_before(&mut changeset, &now_is, &session.cards()?)?;
    }
    Ok(Some((StorePlan::Registry(plans), changeset)))
}

/// Tells where everybody's PATH would have a folder before those of the system itself.
fn ahead_of_system(session: &Session, wanted: &PathEdit, scopes: &[PathScope]) -> Option<Finding> {
    let PathEdit::Move { entry: folder, .. } = wanted else { return None };
    let of_system = SystemFolders::of(&session.machine.environment);
    let shared = scopes.iter().filter(|of| session.system() == System::Windows && of.scope == Scope::System);
    let mut lines = shared.flat_map(|of| &of.entries);
    lines.find(|line| same_place(&line.expanded, folder, session.system()))?;
    let behind = lines.find(|line| of_system.hold(&line.expanded))?;
    let seen = format!("{} would come before {} for every user", folder.display(), behind.expanded);
    Some(Finding::new(Code::AheadOfSystem, seen).remedy("to undo: wyard undo"))
}

/// Whether a terminal's PATH has what was asked for, as far as that can be said of any.
fn holds(wanted: &PathEdit, folders: &[PathBuf], system: System) -> bool {
    let place = |wanted: &Path| folders.iter().position(|folder| same_place(folder, wanted, system));
    match wanted {
        PathEdit::Add { folder, .. } => std::path::absolute(folder).is_ok_and(|folder| place(&folder).is_some()),
        PathEdit::Move { entry, before, .. } => place(entry).zip(place(before)).is_none_or(|(at, before)| at < before),
        PathEdit::Drop { .. } | PathEdit::Tidy { .. } => true,
    }
}
