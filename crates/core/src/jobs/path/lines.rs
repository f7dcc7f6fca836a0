//! The entries of a new terminal's PATH, with where they come from.

use std::path::{Path, PathBuf};

use serde::Serialize;

use super::error::PathError;
use crate::finding::Finding;
use crate::order::{Commands, MeaningChange};
use crate::path_list::windows;
use crate::report::ReportPath;
use crate::resolve::{LookupContext, same_place};
use crate::scope::Scope;
use crate::session::{JobError, Session, SessionError};
use crate::system::System;
use crate::terminal::{Found, Origin, Origins, PathPart, PathView};
use crate::yard::{Card, Position};

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct PathScope {
    /// Whose; on Unix PATH is not kept by scope, and all is the user's.
    pub scope: Scope,
    pub entries: Vec<PathLine>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct PathLine {
    pub raw: ReportPath,
    pub expanded: ReportPath,
    pub exists: bool,
    pub tool: Option<String>,
    /// What put it there; null where nobody can say.
    pub origin: Option<Origin>,
    /// Which entry of its scope it belongs to: on Windows one may be several folders.
    #[serde(skip)]
    pub entry: usize,
    /// Whether nothing but this entry decides what it is.
    #[serde(skip)]
    pub stands_alone: bool,
}

pub(super) struct ListedPath {
    pub system: System,
    pub lines: Vec<(Scope, PathLine)>,
    pub findings: Vec<Finding>,
    pub others: Vec<Vec<PathBuf>>,
}

impl ListedPath {
    pub fn scopes(&self) -> Vec<PathScope> {
        by_scope(self.lines.iter().cloned())
    }

    pub fn folders(&self) -> Vec<PathBuf> {
        self.lines.iter().map(|(_, line)| line.expanded.to_path_buf()).collect()
    }

    /// The lines that a call means: on Windows those of an entry as it is written, or with its references expanded; else by
    /// their folder.
    pub fn named(&self, wanted: &Path) -> Vec<usize> {
        let at = |is: &dyn Fn(&PathLine) -> bool| -> Vec<usize> {
            (0..self.lines.len()).filter(|at| is(&self.lines[*at].1)).collect()
        };
        if self.system == System::Windows {
            let written = at(&|line| line.raw.as_os_str().eq_ignore_ascii_case(wanted));
            if !written.is_empty() {
                return written;
            }
            let typed: Vec<PathBuf> = windows::parts(&wanted.to_string_lossy())
                .into_iter()
                .map(|part| windows::folder(part).into())
                .collect();
            if typed.len() > 1 {
                let folder = |at: usize| self.lines[at].1.expanded.to_path_buf();
                let is_it = |at: &usize| self.of_entry(*at).into_iter().map(folder).eq(typed.iter().cloned());
                return (0..self.lines.len()).filter(is_it).collect();
            }
        }
        at(&|line| same_place(&line.expanded, wanted, self.system))
    }

    pub fn find(&self, folder: &Path) -> Result<usize, JobError> {
        let found = self.named(folder).first().copied();
        Ok(found.ok_or_else(|| PathError::NotInPath(folder.to_owned()))?)
    }

    /// The lines of the entry that a line belongs to.
    pub fn of_entry(&self, at: usize) -> Vec<usize> {
        let is_its =
            |(scope, line): &(Scope, PathLine)| (*scope, line.entry) == (self.lines[at].0, self.lines[at].1.entry);
        (0..self.lines.len()).filter(|other| is_its(&self.lines[*other])).collect()
    }
}

pub(super) fn meanings(system: System, before: &[PathBuf], after: &[PathBuf]) -> Vec<MeaningChange> {
    Commands::new(system).changes(before, after)
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

pub(super) fn look(session: &Session) -> Result<ListedPath, JobError> {
    let view = PathView::of_new_terminal(&session.asking()?, &[], Origins::Traced)?;
    session.bail_if_interrupted()?;
    let view = view.ok_or(SessionError::NoAnswer)?;
    let yard = &session.yard;
    let stock = session.stock()?;
    let tool = |folder: &Path| {
        let is_its =
            |card: &&&Card| yard.registered(card).is_some_and(|r| r.command_folders.iter().any(|f| f == folder));
        stock.registered().iter().find(is_its).map(|card| card.name.to_string())
    };
    let own = yard.own_entries()?;
    let line = |part: PathPart| {
        // Shells that are not traced name it in quotes of their own.
        let is_own = own.iter().any(|e| e.folder == part.folder && !matches!(e.place, Position::Before(_)));
        let ours =
            || is_own.then(|| Origin { place: yard.terminal().display().to_string(), line: None, found: Found::Yard });
        let (exists, tool, origin) = (part.folder.is_dir(), tool(&part.folder), part.origin.or_else(ours));
        let (raw, expanded) = (part.raw.into(), part.folder.into());
        let line = PathLine { raw, expanded, exists, tool, origin, entry: part.entry, stands_alone: part.stands_alone };
        (part.scope, line)
    };
    let mut findings = view.findings;
    findings.extend(stock.findings());
    Ok(ListedPath {
        system: session.system(),
        lines: view.parts.into_iter().map(line).collect(),
        findings,
        others: view.others.iter().map(LookupContext::folders).collect(),
    })
}
