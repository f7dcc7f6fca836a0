//! A change of the stores: planned whole, checked for rights, then made.

use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::block::{self, Before, Without};
use super::generated::{self, Registered};
use super::own::OwnEntry;
use super::startup::{Dialect, StartupFile, StartupFolders, possible_files};
use super::startup_files;
use crate::error::{Blame, Blamed, FileContext, FileError};
use crate::resolve::Shell;
use crate::whole_file;

/// Why the stores could not be changed.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// A file cannot be read or written.
    #[error("the startup files can't be changed; nothing was")]
    Refused(#[source] FileError),
    /// A file could not be written half way.
    #[error("the change of the startup files broke off; done so far: {}", done.join(", "))]
    BrokeOff {
        /// The files that were written.
        done: Vec<String>,
        /// What stood in the way.
        #[source]
        source: FileError,
    },
}

impl Blamed for StoreError {
    fn blame(&self) -> Blame {
        Blame::Machine
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Refused(source) => source.hint(),
            Self::BrokeOff { .. } => {
                Some("settle that, then run the same command again: nothing is done twice".to_owned())
            }
        }
    }
}

/// What happens to one startup file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Action {
    /// The file is made, with the block in it.
    Make,
    /// The block is added at its end.
    AddBlock,
    /// The block is there already.
    Keep,
    /// The block is taken out.
    RemoveBlock,
    /// The file goes: it held nothing but what we had made.
    Remove,
}

/// A change of one startup file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct StartupChange {
    /// The file.
    pub path: PathBuf,
    /// What happens to it.
    pub action: Action,
    #[serde(skip)]
    content: Vec<u8>,
}

/// A planned change of the stores; [`RegistrationPlan::apply`] makes it.
#[derive(Debug)]
#[must_use = "a plan changes nothing until it is applied"]
pub struct RegistrationPlan {
    generated: Vec<(PathBuf, Option<Vec<u8>>)>,
    /// The startup files, in the order in which they are written.
    pub changes: Vec<StartupChange>,
}

impl RegistrationPlan {
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
            startup_files(shells, folders, &|file| fs::File::open(file).is_ok_and(|_| file.is_file()))
        };
        for file in files {
            let change = if is_empty { taking_out(terminal, file) } else { putting_in(terminal, file).map(Some) };
            plan.changes.extend(change.map_err(StoreError::Refused)?);
        }
        for change in plan.changes.iter().filter(|c| c.action != Action::Keep) {
            whole_file::would_replace(&change.path).map_err(StoreError::Refused)?;
        }
        Ok(plan)
    }

    /// Makes the change: generated files first, so that no block ever reads a file that is not there yet, and in the
    /// opposite order when all goes.
    ///
    /// # Errors
    /// When a file cannot be written; the message says which ones were.
    pub fn apply(self) -> Result<(), StoreError> {
        let mut done: Vec<String> = Vec::new();
        let adding = self.generated.iter().any(|(_, content)| content.is_some());
        let generated = || {
            self.generated.iter().try_for_each(|(file, content)| match content {
                Some(content) => whole_file::replace(file, content),
                None if file.exists() => fs::remove_file(file).at("remove", file),
                None => Ok(()),
            })
        };
        let broke = |done: &[String], source| StoreError::BrokeOff { done: done.to_vec(), source };
        if adding {
            generated().map_err(|e| broke(&done, e))?;
        }
        for change in &self.changes {
            match change.action {
                Action::Keep => continue,
                Action::Remove => fs::remove_file(&change.path).at("remove", &change.path),
                Action::Make | Action::AddBlock | Action::RemoveBlock => {
                    whole_file::replace(&change.path, &change.content)
                }
            }
            .map_err(|e| broke(&done, e))?;
            done.push(change.path.display().to_string());
        }
        if !adding {
            generated().map_err(|e| broke(&done, e))?;
        }
        Ok(())
    }
}

fn reading_line(terminal: &Path, dialect: Dialect) -> Vec<u8> {
    generated::reading_line(dialect, &terminal.join(generated::file_name(dialect)))
}

fn putting_in(terminal: &Path, file: StartupFile) -> Result<StartupChange, FileError> {
    let line = reading_line(terminal, file.dialect);
    let target = whole_file::real_target(&file.path)?;
    let (before, content) = match fs::read(&target) {
        Ok(content) => (Before::There, content),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => (Before::Missing, Vec::new()),
        Err(e) => return Err(e).at("read", &file.path),
    };
    let (action, content) = match block::with(&content, &line, before) {
        Some(new) if before == Before::Missing => (Action::Make, new),
        Some(new) => (Action::AddBlock, new),
        None => (Action::Keep, Vec::new()),
    };
    Ok(StartupChange { path: file.path, action, content })
}

fn taking_out(terminal: &Path, file: StartupFile) -> Result<Option<StartupChange>, FileError> {
    if !file.path.is_file() {
        return Ok(None);
    }
    let content = fs::read(&file.path).at("read", &file.path)?;
    let (action, content) = match block::without(&content, &reading_line(terminal, file.dialect)) {
        Without::Unchanged => return Ok(None),
        Without::Content(content) => (Action::RemoveBlock, content),
        Without::Nothing => (Action::Remove, Vec::new()),
    };
    Ok(Some(StartupChange { path: file.path, action, content }))
}
