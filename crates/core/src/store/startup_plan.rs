//! A change of the stores: planned whole, checked for rights, then made.

use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::generated;
use super::startup::{possible_files, startup_files};
use crate::change::{Changeset, Content, Operation, Role, block_put, block_taken};
use crate::error::{FileContext, FileError, classified};
use crate::os;
use crate::report::ReportPath;
use crate::resolve::Shell;
use crate::shells::{Dialect, StartupFile, StartupFolders};
use crate::whole_file;
use crate::yard::{OwnEntry, Registered};

#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    #[error("the startup files cannot be changed; nothing was written")]
    Refused(#[source] FileError),
    #[error("{} cannot be changed: {} is owned or writable by another user; nothing was changed", file.display(), folder.display())]
    Untrusted { file: PathBuf, folder: PathBuf },
}

classified!(StoreError {
    Self::Refused(source) => Machine, source.hint();
    Self::Untrusted { .. } => Machine, "change its owner or mode, or unset the variable that points there";
    _ => Machine;
});

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Action {
    Make,
    AddBlock,
    Keep,
    RemoveBlock,
    /// The file goes: it held nothing but what we had made.
    Remove,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct StartupChange {
    pub path: ReportPath,
    pub action: Action,
    #[serde(skip)]
    line: Vec<u8>,
    #[serde(skip)]
    before: Option<Vec<u8>>,
    #[serde(skip)]
    pub(crate) after: Option<Vec<u8>>,
}

impl StartupChange {
    /// Whether the file holds just this now.
    pub(crate) fn is(&self, content: &[u8]) -> bool {
        self.before.as_deref() == Some(content)
    }
}

/// A planned change of the stores; [`StartupPlan::changeset`] says how it is made.
#[derive(Debug)]
#[must_use = "a plan changes nothing until it is carried out"]
pub struct StartupPlan {
    generated: Vec<(PathBuf, Option<Vec<u8>>)>,
    /// The startup files, in the order in which they are written.
    pub changes: Vec<StartupChange>,
}

impl StartupPlan {
    /// Plans the stores so that they hold just `tools`, in this order, and the user's `own`. `terminal` is the yard's
    /// folder for generated files. Without any all that is ours goes.
    ///
    /// # Errors
    /// When a file could not be read or written; nothing has been changed then.
    pub fn make(
        terminal: &Path,
        tools: &[Registered],
        own: &[OwnEntry],
        shells: &[Shell],
        folders: &StartupFolders,
    ) -> Result<Self, StoreError> {
        let is_empty = tools.is_empty() && own.is_empty();
        let mut plan = Self { generated: Vec::new(), changes: Vec::new() };
        for dialect in Dialect::ALL {
            let file = terminal.join(generated::file_name(dialect));
            let content = (!is_empty).then(|| generated::content(dialect, tools, own));
            plan.generated.push((file, content));
        }
        let files = if is_empty {
            possible_files(folders)
        } else {
            startup_files(shells, folders, &|file| file.is_file() && fs::File::open(file).is_ok())
        };
        for file in files {
            let change = if is_empty { taking_out(terminal, file) } else { putting_in(terminal, file).map(Some) };
            plan.changes.extend(change.map_err(StoreError::Refused)?);
        }
        for change in plan.changes.iter().filter(|c| c.action != Action::Keep) {
            whole_file::would_replace(&change.path).map_err(StoreError::Refused)?;
            if let Some(folder) = os::untrusted_on_way(&change.path) {
                return Err(StoreError::Untrusted { file: change.path.to_path_buf(), folder });
            }
        }
        Ok(plan)
    }

    /// The change as operations: generated files first, so that no block ever reads a file that is not there yet, and in the
    /// opposite order when all goes. A startup file is kept beside the records before its first change, in `kept`.
    pub fn changeset(&self, kept: &Path) -> Result<Changeset, StoreError> {
        let mut generated = Changeset::default();
        for (file, content) in &self.generated {
            generated.file(file, Role::Generated, content.clone()).map_err(StoreError::Refused)?;
        }
        let mut startup = Changeset::default();
        for change in self.changes.iter().filter(|change| change.action != Action::Keep) {
            let content = |bytes: &Option<Vec<u8>>| bytes.clone().map(Content::from);
            let (path, line) = (change.path.to_path_buf(), Content::from(change.line.clone()));
            let (before, after) = (content(&change.before), content(&change.after));
            if let Some(as_it_was) = &change.before {
                let backup = kept.join(change.path.to_string_lossy().replace(std::path::is_separator, "!"));
                if !backup.exists() {
                    startup.file(&backup, Role::Backup, Some(as_it_was.clone())).map_err(StoreError::Refused)?;
                }
            }
            if after.is_some() {
                startup.folders_for(&path);
            }
            startup.push(Operation::Startup { path, line, before, after });
        }
        let adding = self.generated.iter().any(|(_, content)| content.is_some());
        let (mut first, then) = if adding { (generated, startup) } else { (startup, generated) };
        first.extend(then);
        Ok(first)
    }
}

fn reading_line(terminal: &Path, dialect: Dialect) -> Vec<u8> {
    generated::reading_line(dialect, &terminal.join(generated::file_name(dialect)))
}

fn putting_in(terminal: &Path, file: StartupFile) -> Result<StartupChange, FileError> {
    let line = reading_line(terminal, file.dialect);
    let target = whole_file::real_target(&file.path)?;
    let before = match whole_file::read(&target) {
        Ok(content) => Some(content),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => None,
        Err(e) => return Err(e).at("read", &file.path),
    };
    let after = block_put(before.as_deref(), &line);
    let action = match &before {
        None => Action::Make,
        Some(before) if *before == after => Action::Keep,
        Some(_) => Action::AddBlock,
    };
    Ok(StartupChange { path: file.path.into(), action, line, before, after: Some(after) })
}

fn taking_out(terminal: &Path, file: StartupFile) -> Result<Option<StartupChange>, FileError> {
    if !file.path.is_file() {
        return Ok(None);
    }
    let line = reading_line(terminal, file.dialect);
    let before = whole_file::read(&file.path).at("read", &file.path)?;
    let after = block_taken(Some(&before), &line);
    let action = match &after {
        Some(after) if *after == before => return Ok(None),
        Some(_) => Action::RemoveBlock,
        None => Action::Remove,
    };
    Ok(Some(StartupChange { path: file.path.into(), action, line, before: Some(before), after }))
}
