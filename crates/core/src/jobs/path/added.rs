//! A folder put into PATH.

use std::path::{Path, PathBuf};

use super::error::PathError;
use super::lines::{ListedPath, PathLine};
use super::outcome::{Outcome, step};
use super::registry::Parts;
use super::report::StepKind;
use crate::path_list::{EntryError, check_entry};
use crate::resolve::same_place;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::system::System;
use crate::yard::{OwnEntry, Position};

pub(super) fn add(
    session: &Session,
    sight: &ListedPath,
    folder: &Path,
    last: bool,
    scope: Scope,
) -> Result<Outcome, JobError> {
    // On Unix PATH is not kept by scope: whose yard it is decides.
    let scope = if sight.system == System::Unix { Scope::User } else { scope };
    if !folder.is_dir() {
        return Err(PathError::NoFolder(folder.to_owned()).into());
    }
    check_entry(folder, sight.system).map_err(|source| PathError::Entry { folder: folder.to_owned(), source })?;
    let line = PathLine { raw: folder.into(), expanded: folder.into(), exists: true, tool: None, origin: None };
    let has_it = |others: &Vec<PathBuf>| others.iter().any(|other| same_place(other, folder, sight.system));
    let there = sight.lines.iter().any(|(of, line)| *of == scope && same_place(&line.expanded, folder, sight.system))
        && sight.others.iter().all(has_it);
    let mut outcome = Outcome::of(sight);
    if there {
        return Ok(outcome);
    }
    outcome.steps.push(step(&line.raw, scope, StepKind::Add, "requested"));
    let first = sight.lines.iter().position(|(of, _)| *of == scope).unwrap_or(sight.lines.len());
    match sight.system {
        System::Unix => {
            let mut own = session.yard.own_entries()?;
            let place = if last { Position::Last } else { Position::First };
            // The folders of tools stay in front.
            outcome.after.retain(|(_, there)| there.expanded != line.expanded);
            let tools = outcome.after.iter().take_while(|(_, line)| line.tool.is_some()).count();
            outcome.after.insert(if last { outcome.after.len() } else { tools }, (scope, line));
            own.insert(if last { own.len() } else { 0 }, OwnEntry { folder: folder.to_owned(), place });
            outcome.own = Some(own);
        }
        System::Windows => {
            let all = Parts::read(session)?;
            let text = folder.to_string_lossy().into_owned();
            if !same_place(&all.folder(scope, &text), folder, sight.system) {
                return Err(PathError::Entry { folder: folder.to_owned(), source: EntryError::Reference }.into());
            }
            let mut parts = all.of(scope);
            let place = if last { parts.len() } else { all.first_place(scope) };
            let empty = parts[..place].iter().filter(|part| part.is_empty()).count();
            outcome.after.insert(first + place - empty, (scope, line));
            parts.insert(place, text);
            outcome.parts = vec![(scope, parts)];
        }
    }
    Ok(outcome)
}
