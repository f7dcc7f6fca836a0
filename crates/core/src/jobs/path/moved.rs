//! A folder moved within PATH.

use std::path::{Path, PathBuf};

use super::error::PathError;
use super::lines::{ListedPath, PathLine};
use super::outcome::{Outcome, step};
use super::registry::Parts;
use super::report::StepKind;
use crate::resolve::same_place;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::system::System;
use crate::yard::{OwnEntry, Position};

pub(super) fn shift(session: &Session, sight: &ListedPath, folder: &Path, before: &Path) -> Result<Outcome, JobError> {
    if same_place(folder, before, sight.system) {
        return Err(PathError::Same.into());
    }
    let (from, to) = (sight.find(folder)?, sight.find(before)?);
    let ((scope, moved), (other_scope, other)) = (sight.lines[from].clone(), sight.lines[to].clone());
    let mut outcome = Outcome::of(sight);
    if from + 1 == to {
        return Ok(outcome);
    }
    let reason = format!("directly before {}", other.raw);
    outcome.steps.push(step(&moved.raw, scope, StepKind::Move, reason));
    if sight.system == System::Windows {
        if scope != other_scope {
            return Err(PathError::AcrossScopes { folder: folder.to_owned(), before: before.to_owned() }.into());
        }
        let parts = Parts::read(session)?;
        let mut of_scope = parts.of(scope);
        if let (Some(from), Some(_)) = (parts.find(scope, folder), parts.find(scope, before)) {
            let part = of_scope.remove(from);
            let leads = |part: &String| same_place(&parts.folder(scope, part), before, sight.system);
            let to = of_scope.iter().position(|part| !part.is_empty() && leads(part));
            of_scope.insert(to.unwrap_or(0), part);
        }
        let line = outcome.after.remove(from);
        outcome.after.insert(if from < to { to - 1 } else { to }, line);
        outcome.parts = vec![(scope, of_scope)];
        return Ok(outcome);
    }
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
