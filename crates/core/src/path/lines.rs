//! The entries of a new terminal's PATH, with where they come from.

use std::cell::OnceCell;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::PathError;
use crate::finding::Finding;
use crate::machine::Machine;
use crate::os;
use crate::path_list::PathList;
use crate::progress::Stop;
use crate::resolve::same_file;
use crate::store::Place;
use crate::survey;
use crate::system::System;
use crate::terminal::{self, Asking, Found, Origin, Question};
use crate::yard::{Card, Scope, Yard};

/// The entries of one scope.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct PathScope {
    /// Whose; on Unix PATH is not kept by scope, and all is the user's.
    pub scope: Scope,
    /// In order.
    pub entries: Vec<PathLine>,
}

/// One entry.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct PathLine {
    /// As written.
    pub raw: String,
    /// The folder it stands for.
    pub expanded: PathBuf,
    /// Whether that is there.
    pub exists: bool,
    /// The tool whose command folder it is.
    pub tool: Option<String>,
    /// What put it there; null where nobody can say.
    pub origin: Option<Origin>,
}

/// PATH as it is.
pub(super) struct Sight {
    pub lines: Vec<(Scope, PathLine)>,
    pub findings: Vec<Finding>,
    /// The folders of the terminals that have another PATH.
    pub others: Vec<Vec<PathBuf>>,
}

impl Sight {
    /// By scope.
    pub fn scopes(&self) -> Vec<PathScope> {
        by_scope(self.lines.iter().cloned())
    }

    /// The folders in order.
    pub fn folders(&self) -> Vec<PathBuf> {
        self.lines.iter().map(|(_, line)| line.expanded.clone()).collect()
    }

    /// The first entry that leads to a folder.
    pub fn find(&self, folder: &Path) -> Result<usize, PathError> {
        let leads = |line: &PathLine| is_same(&line.expanded, folder);
        self.lines.iter().position(|(_, line)| leads(line)).ok_or_else(|| PathError::NotInPath(folder.to_owned()))
    }
}

/// The lines by scope, in order.
pub(super) fn by_scope(lines: impl Iterator<Item = (Scope, PathLine)>) -> Vec<PathScope> {
    let mut scopes: Vec<PathScope> = Vec::new();
    for (scope, line) in lines {
        match scopes.last_mut().filter(|last| last.scope == scope) {
            Some(last) => last.entries.push(line),
            None => scopes.push(PathScope { scope, entries: vec![line] }),
        }
    }
    scopes
}

/// Whether two entries lead to the same folder; one that is not there is compared by its text.
pub(super) fn is_same(one: &Path, other: &Path) -> bool {
    let plain = |path: &Path| {
        let text = path.to_string_lossy().trim_end_matches(std::path::is_separator).to_owned();
        if os::FOLDS_CASE { text.to_lowercase() } else { text }
    };
    plain(one) == plain(other) || same_file(one, other)
}

/// Looks at PATH as a new terminal has it.
pub(super) fn look(machine: &Machine, stop: &Stop) -> Result<Sight, PathError> {
    let yard = Yard::of(machine);
    let tools = yard.in_service()?;
    let tool = |folder: &Path| {
        let is_its =
            |card: &&Card| yard.registered(card).is_some_and(|r| r.command_folders.iter().any(|f| f == folder));
        tools.iter().find(is_its).map(|card| card.name.to_string())
    };
    let own = yard.own_entries()?;
    let line = |raw: String, expanded: PathBuf, origin: Option<Origin>| {
        // Shells that are not traced name it in quotes of their own.
        let is_own = own.iter().any(|e| e.folder == expanded && !matches!(e.place, Place::Before(_)));
        let place = || yard.terminal().display().to_string();
        let ours = || is_own.then(|| Origin { place: place(), line: None, found: Found::Yard });
        let origin = origin.or_else(ours);
        let (exists, tool) = (expanded.is_dir(), tool(&expanded));
        PathLine { raw, expanded, exists, tool, origin }
    };
    let (lines, findings, others) = match os::HERE {
        System::Windows => {
            let entries = super::registry::entries(machine)?;
            (
                entries
                    .into_iter()
                    .map(|(scope, raw, folder, origin)| (scope, line(raw, folder, Some(origin))))
                    .collect(),
                Vec::new(),
                Vec::new(),
            )
        }
        System::Unix => {
            let settings = yard.settings()?;
            let shells = terminal::installed(machine, &settings.shells);
            let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
            let answers = asking.everywhere(Question::default());
            if stop.requested() {
                return Err(PathError::Interrupted);
            }
            let (answer, said) = survey::commonest(&answers).ok_or(PathError::NoAnswer)?;
            let path = &said.around.path;
            let shell = shells.iter().find(|shell| shell.shell == answer.shell);
            let origins = shell
                .map(|shell| asking.origins(shell, (answer.way, &answer.base), path, &OnceCell::new()))
                .unwrap_or_default();
            let list = PathList::parse(path);
            let lines = list.entries().map(|entry| {
                let origin = origins.get(entry.index).cloned().flatten();
                (Scope::User, line(entry.raw.to_string_lossy().into_owned(), entry.folder(), origin))
            });
            let others = answers.iter().filter_map(|answer| answer.said.as_ref().ok());
            let others = others.filter(|other| other.around.path != *path).map(|other| super::folders(&other.around));
            (lines.collect(), survey::tell_other_paths(&answers, said), others.collect())
        }
    };
    Ok(Sight { lines, findings, others })
}
