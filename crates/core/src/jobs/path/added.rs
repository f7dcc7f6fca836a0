//! A folder put into PATH.

use std::path::{Path, PathBuf};

use super::error::PathError;
use super::lines::{ListedPath, PathLine};
use super::outcome::{Outcome, step};
use super::registry::Entries;
use super::report::StepKind;
use crate::path_list::{EntryError, check_entry};
use crate::resolve::same_place;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::system::System;
use crate::yard::{OwnEntry, Position};

/// An entry to be put in, as [`super::PathEdit::Add`] asks for it.
#[derive(Clone, Copy)]
pub(super) struct Addition<'a> {
    pub wanted: &'a Path,
    pub last: bool,
    pub scope: Scope,
    pub trusts: bool,
}

pub(super) fn add(session: &Session, sight: &ListedPath, addition: Addition<'_>) -> Result<Outcome, JobError> {
    if sight.system == System::Windows {
        return to_registry(session, sight, addition);
    }
    let Addition { wanted, last, trusts, .. } = addition;
    // On Unix PATH is not kept by scope: whose yard it is decides.
    let scope = Scope::User;
    checked(session, wanted, trusts)?;
    let has_it = |others: &Vec<PathBuf>| others.iter().any(|other| same_place(other, wanted, sight.system));
    let there = sight.lines.iter().any(|(_, line)| same_place(&line.expanded, wanted, sight.system))
        && sight.others.iter().all(has_it);
    let mut outcome = Outcome::of(sight);
    if there {
        return Ok(outcome);
    }
    let line = new_line(wanted, wanted, 0);
    outcome.steps.push(step(&line.raw, scope, StepKind::Add, "requested"));
    let mut own = session.yard.own_entries()?;
    let place = if last { Position::Last } else { Position::First };
    // The folders of tools stay in front.
    outcome.after.retain(|(_, there)| there.expanded != line.expanded);
    let tools = outcome.after.iter().take_while(|(_, line)| line.tool.is_some()).count();
    outcome.after.insert(if last { outcome.after.len() } else { tools }, (scope, line));
    own.insert(if last { own.len() } else { 0 }, OwnEntry { folder: wanted.to_owned(), place });
    outcome.own = Some(own);
    Ok(outcome)
}

fn checked(session: &Session, folder: &Path, trusts: bool) -> Result<(), JobError> {
    session.check_folder(folder, trusts)?;
    if !folder.is_dir() {
        return Err(PathError::NoFolder(folder.to_owned()).into());
    }
    let entry = |source| PathError::Entry { folder: folder.to_owned(), source };
    Ok(check_entry(folder, session.system()).map_err(entry)?)
}

fn new_line(raw: &Path, folder: &Path, entry: usize) -> PathLine {
    PathLine {
        raw: raw.into(),
        expanded: folder.into(),
        exists: true,
        tool: None,
        origin: None,
        entry,
        stands_alone: true,
    }
}

/// Puts a folder into a scope's value, or an entry that refers to variables.
fn to_registry(session: &Session, sight: &ListedPath, addition: Addition<'_>) -> Result<Outcome, JobError> {
    let Addition { wanted, last, scope, trusts } = addition;
    let entries = Entries::read(session)?;
    let text = wanted.to_string_lossy().into_owned();
    let expanded = entries.alone(scope, &text).map(|entry| entry.folders).unwrap_or_default();
    let is_literal = matches!(&expanded[..], [one] if same_place(one, wanted, sight.system));
    if wanted.is_dir() && !is_literal {
        return Err(PathError::Entry { folder: wanted.to_owned(), source: EntryError::Reference }.into());
    }
    if is_literal && is_reference(wanted) && entries.is_plain(scope) {
        return Err(PathError::PlainPath { entry: text, scope }.into());
    }
    for folder in &expanded {
        checked(session, folder, trusts)?;
    }
    let mut outcome = Outcome::of(sight);
    let is_there = |folder: &PathBuf| {
        sight.lines.iter().any(|(of, line)| *of == scope && same_place(&line.expanded, folder, sight.system))
    };
    if expanded.iter().all(is_there) {
        return Ok(outcome);
    }
    let mut all = entries.of(scope);
    let place = if last { all.len() } else { entries.first_place(scope) };
    let lines: Vec<_> = expanded.iter().map(|folder| (scope, new_line(wanted, folder, place))).collect();
    outcome.steps.push(step(&wanted.into(), scope, StepKind::Add, "requested"));
    let is_before = |(of, line): &&(Scope, PathLine)| {
        *of == Scope::System && scope == Scope::User || *of == scope && line.entry < place
    };
    let at = sight.lines.iter().filter(is_before).count();
    outcome.after.splice(at..at, lines);
    all.insert(place, text);
    outcome.parts = vec![(scope, all)];
    Ok(outcome)
}

/// Whether a text on Windows is more likely a reference to a variable than a folder with such a name.
pub(super) fn is_reference(wanted: &Path) -> bool {
    wanted.to_string_lossy().matches('%').count() > 1 && !wanted.is_dir()
}
