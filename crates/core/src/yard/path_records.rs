//! Records of the yard beside the cards: what PATH was before our first entry, and the user's own entries.

use std::path::PathBuf;

use serde::{Deserialize, Serialize};

use super::card::Card;
use super::error::{FORMAT, YardError};
use super::place::{Yard, read_record};
use crate::change::{Changeset, Role};
use crate::registry::PathBefore;
use crate::scope::Scope;

/// Where such a folder goes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Position {
    /// In front of everything but the tools' own.
    First,
    Last,
    /// Directly before this folder, where PATH has both of them.
    Before(PathBuf),
}

/// A folder, and where it goes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct OwnEntry {
    pub folder: PathBuf,
    pub place: Position,
}

impl OwnEntry {
    /// The entries of a PATH after this has been done to them, as the generated files do it.
    pub fn applied<T: Clone>(
        &self,
        list: &[T],
        is: impl Fn(&T, &PathBuf) -> bool,
        make: impl Fn(&PathBuf) -> T,
    ) -> Vec<T> {
        let mut kept: Vec<T> = list.iter().filter(|entry| !is(entry, &self.folder)).cloned().collect();
        match &self.place {
            Position::First => kept.insert(0, make(&self.folder)),
            Position::Last => kept.push(make(&self.folder)),
            Position::Before(other) => {
                let there = kept.len() < list.len();
                match kept.iter().position(|entry| is(entry, other)) {
                    Some(at) if there => kept.insert(at, make(&self.folder)),
                    _ => return list.to_vec(),
                }
            }
        }
        kept
    }
}

/// The record of [`Yard::path_before`], by scope.
#[derive(Debug, Default, Serialize, Deserialize)]
struct KeptPaths {
    #[serde(skip_serializing_if = "Option::is_none")]
    user: Option<PathBefore>,
    #[serde(skip_serializing_if = "Option::is_none")]
    system: Option<PathBefore>,
}

impl KeptPaths {
    fn of(&mut self, scope: Scope) -> &mut Option<PathBefore> {
        match scope {
            Scope::User => &mut self.user,
            Scope::System => &mut self.system,
        }
    }
}

/// The record of [`Yard::own_entries`].
#[derive(Debug, Serialize, Deserialize)]
struct OwnEntries {
    format: u32,
    entry: Vec<OwnEntry>,
}

impl Yard {
    /// What `Path` of a scope in the registry was before our first entry, where that was kept.
    pub fn path_before(&self, scope: Scope) -> Result<Option<PathBefore>, YardError> {
        Ok(*self.kept_paths()?.of(scope))
    }

    fn kept_paths(&self) -> Result<KeptPaths, YardError> {
        Ok(read_record(&self.path_before_file())?.unwrap_or_default())
    }

    /// Adds to a change that it is kept what `Path` of these scopes is, unless that is known, and forgotten for every scope
    /// in which none of `cards`, which are those after the change, is registered and nothing is being kept.
    pub fn put_path_before(
        &self,
        changeset: &mut Changeset,
        is: &[(Scope, PathBefore)],
        cards: &[Card],
    ) -> Result<(), YardError> {
        let mut kept = self.kept_paths()?;
        for scope in Scope::ALL {
            let now = is.iter().find(|(of, _)| *of == scope).map(|(_, path)| *path);
            let used = cards.iter().any(|card| card.registration.as_ref().is_some_and(|r| r.scope == scope));
            let before = kept.of(scope);
            *before = if used || now.is_some() { before.or(now) } else { None };
        }
        let none = kept.user.is_none() && kept.system.is_none();
        let text = toml::to_string_pretty(&kept).map_err(YardError::Write)?;
        Ok(changeset.file(&self.path_before_file(), Role::PathBefore, (!none).then(|| text.into_bytes()))?)
    }

    fn path_before_file(&self) -> PathBuf {
        self.terminal().join("registry.toml")
    }

    /// The folders that the user has put into PATH or moved in it, in the order in which that was done.
    pub fn own_entries(&self) -> Result<Vec<OwnEntry>, YardError> {
        let file = self.own_entries_file();
        let Some(kept) = read_record::<OwnEntries>(&file)? else { return Ok(Vec::new()) };
        if kept.format != FORMAT {
            return Err(YardError::Format { file, found: kept.format });
        }
        Ok(kept.entry)
    }

    pub fn put_own_entries(&self, changeset: &mut Changeset, entry: Vec<OwnEntry>) -> Result<(), YardError> {
        let none = entry.is_empty();
        let text = toml::to_string_pretty(&OwnEntries { format: FORMAT, entry }).map_err(YardError::Write)?;
        Ok(changeset.file(&self.own_entries_file(), Role::OwnEntries, (!none).then(|| text.into_bytes()))?)
    }

    fn own_entries_file(&self) -> PathBuf {
        self.root().join("path.toml")
    }
}
