//! A folder moved within PATH.

use std::path::{Path, PathBuf};

use super::error::PathError;
use super::lines::{ListedPath, PathLine};
use super::outcome::{Outcome, step};
use super::registry::{Entries, entry_in};
use super::report::StepKind;
use crate::resolve::same_place;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::system::System;
use crate::yard::{OwnEntry, Position};

pub(super) fn shift(
    session: &Session,
    sight: &ListedPath,
    folder: &Path,
    before: &Path,
    scope: Scope,
) -> Result<Outcome, JobError> {
    if sight.system == System::Windows {
        return in_registry(session, sight, folder, before, scope);
    }
    if same_place(folder, before, sight.system) {
        return Err(PathError::Same.into());
    }
    let (from, to) = (sight.find(folder)?, sight.find(before)?);
    let ((scope, moved), (_, other)) = (sight.lines[from].clone(), sight.lines[to].clone());
    let mut outcome = Outcome::of(sight);
    if from + 1 == to {
        return Ok(outcome);
    }
    let reason = format!("directly before {}", other.raw);
    outcome.steps.push(step(&moved.raw, scope, StepKind::Move, reason));
    let entry =
        OwnEntry { folder: moved.expanded.to_path_buf(), place: Position::Before(other.expanded.to_path_buf()) };
    let is = |(_, line): &(Scope, PathLine), path: &PathBuf| line.expanded == **path;
    outcome.after = entry.applied(&sight.lines, is, |_| (scope, moved.clone()));
    let mut own = session.yard.own_entries()?;
    // An earlier move of the same folder is overtaken by this one.
    own.retain(|earlier| earlier.folder != entry.folder || !matches!(earlier.place, Position::Before(_)));
    own.push(entry);
    outcome.own = Some(own);
    Ok(outcome)
}

/// Moves an entry within a scope's value, with all its folders.
fn in_registry(
    session: &Session,
    sight: &ListedPath,
    wanted: &Path,
    before: &Path,
    scope: Scope,
) -> Result<Outcome, JobError> {
    let to_any = sight.find(before)?;
    if scope == Scope::User && sight.lines[to_any].0 == Scope::System && entry_in(sight, wanted, scope).is_ok() {
        return Err(PathError::AcrossScopes { folder: wanted.to_owned(), before: before.to_owned() }.into());
    }
    let (from, to) = (entry_in(sight, wanted, scope)?, entry_in(sight, before, scope)?);
    let (moving, standing) = (sight.of_entry(from), sight.of_entry(to));
    let (moved, other) = (&sight.lines[from].1, &sight.lines[to].1);
    if moving == standing {
        return Err(PathError::Same.into());
    }
    let mut outcome = Outcome::of(sight);
    if moving.last().map(|last| last + 1) == standing.first().copied() {
        return Ok(outcome);
    }
    outcome.steps.push(step(&moved.raw, scope, StepKind::Move, format!("directly before {}", other.raw)));
    let lines = |at: &usize| sight.lines[*at].clone();
    outcome.after = Vec::new();
    for at in (0..sight.lines.len()).filter(|at| !moving.contains(at)) {
        if Some(&at) == standing.first() {
            outcome.after.extend(moving.iter().map(lines));
        }
        outcome.after.push(lines(&at));
    }
    let mut entries = Entries::read(session)?.of(scope);
    let (from, to) = (moved.entry, other.entry);
    let raw = entries.remove(from);
    entries.insert(if from < to { to - 1 } else { to }, raw);
    outcome.parts = vec![(scope, entries)];
    Ok(outcome)
}
