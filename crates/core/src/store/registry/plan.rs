//! A change of the registry's environment: planned whole from what is there, checked, then written value by value.

use std::path::Path;

use serde::{Deserialize, Serialize};

use super::edit::Edit;
use super::environment::Background;
use super::findings;
use super::keys::Keys;
use super::value::{RegistryValue, ValueKind, same_name};
use crate::error::{Blame, Blamed, FileError};
use crate::finding::Finding;
use crate::store::Registered;
use crate::yard::{Act, Acts, Scope, StoredValue};

/// The most characters a variable can hold ("Environment Variables", limits).
pub(super) const MOST: usize = 32_767;
/// Why the registry cannot be changed.
#[derive(Debug, thiserror::Error)]
pub enum RegistryError {
    /// The key cannot be read or written.
    #[error(transparent)]
    Key(#[from] FileError),
    /// A value is no text, so that an edit could lose something.
    #[error("the value {name} in {key} is no text that could be edited without loss; nothing was changed")]
    NotText {
        /// The key.
        key: String,
        /// The value.
        name: String,
    },
    /// The value would be too long.
    #[error("Path in {key} would have {length} characters; the system allows {MOST}, and nothing was cut or changed")]
    TooLong {
        /// The key.
        key: String,
        /// The length it would have.
        length: usize,
    },
    /// No entry of PATH can mean this folder.
    #[error("no entry of PATH can mean {folder}: it holds a \";\", a quote, or a \"%\" that would be expanded")]
    Folder {
        /// The folder.
        folder: String,
    },
    /// The scope needs rights that this process does not have.
    #[error("{key} may not be written without more rights; nothing was changed")]
    NotElevated {
        /// The key.
        key: String,
    },
}

impl Blamed for RegistryError {
    fn blame(&self) -> Blame {
        match self {
            Self::Folder { .. } => Blame::Call,
            _ => Blame::Machine,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::TooLong { .. } => Some("take entries out of Path that nobody needs any more".to_owned()),
            Self::Folder { .. } => Some("choose another folder with --yard DIR".to_owned()),
            Self::NotElevated { .. } => Some(format!("open an elevated terminal and repeat there: {}", repeated())),
            Self::Key(_) | Self::NotText { .. } => None,
        }
    }
}

/// The command line of this process, quoted for `cmd`. An elevated terminal opens in another folder, so that paths are
/// written out.
fn repeated() -> String {
    let quoted = |word: String| if word.contains([' ', '&', '(', ')', '^']) { format!("\"{word}\"") } else { word };
    let whole = |word: std::ffi::OsString| {
        let there = !word.is_empty() && Path::new(&word).exists();
        let path = if there { std::path::absolute(&word).ok() } else { None };
        path.map_or(word, std::path::PathBuf::into_os_string)
    };
    let program = std::env::current_exe().map_or_else(|_| "wyard".into(), std::path::PathBuf::into_os_string);
    let words = [program].into_iter().chain(std::env::args_os().skip(1).map(whole));
    words.map(|word| quoted(word.to_string_lossy().into_owned())).collect::<Vec<_>>().join(" ")
}

/// What a user's value was before a home variable of ours took its name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Replaced {
    /// The variable.
    pub name: String,
    /// Its kind.
    pub kind: ValueKind,
    /// Its text, raw.
    pub text: String,
}

/// What `Path` was before our first entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PathBefore {
    /// It was not there.
    Missing,
    /// A plain string.
    Plain,
    /// An expandable one.
    Expandable,
}

impl PathBefore {
    /// Of the value that is there.
    pub(super) fn of(value: Option<&RegistryValue>) -> Self {
        match value.map(|value| value.kind) {
            None => Self::Missing,
            Some(ValueKind::Plain) => Self::Plain,
            Some(ValueKind::Expandable) => Self::Expandable,
        }
    }
}

/// A change of one value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ValueChange {
    /// The value's name, in the spelling that is there.
    pub name: String,
    /// Before; `None` where it is not there.
    pub before: Option<RegistryValue>,
    /// After; `None` where it goes.
    pub after: Option<RegistryValue>,
}

/// A planned change of one key.
#[derive(Debug)]
#[must_use = "a plan changes nothing until it is applied"]
pub struct RegistryPlan {
    /// Whose key.
    pub scope: Scope,
    /// The changes, home variables before `Path`.
    pub changes: Vec<ValueChange>,
    /// What is worth telling before it is done.
    pub findings: Vec<Finding>,
    /// What home variables of ours will replace.
    pub replaced: Vec<Replaced>,
    /// What `Path` is now.
    pub path_is: PathBefore,
}

/// A tool to be put in or taken out.
#[derive(Debug, Clone, Copy)]
pub struct Tool<'a> {
    /// Where its folders and variables are.
    pub registered: &'a Registered,
    /// What its variables replaced when it was put in.
    pub replaced: &'a [Replaced],
}

impl RegistryPlan {
    /// Plans to take tools out and to put one in first. `restore` is what `Path` was before our first entry, given when
    /// nothing of ours is left afterwards.
    ///
    /// # Errors
    /// When that cannot be done without loss, within the limits, or with these rights.
    pub fn make(
        keys: &Keys,
        scope: Scope,
        background: &Background,
        taken: &[Tool<'_>],
        put: Option<Tool<'_>>,
        restore: Option<PathBefore>,
    ) -> Result<Self, RegistryError> {
        let mut edit = Edit::new(background, scope, keys.words(scope));
        let path_name = edit.path_name();
        let path_is = PathBefore::of(edit.get(&path_name)?.as_ref());
        for tool in taken {
            edit.take_out(&path_name, *tool)?;
        }
        let mut replaced = Vec::new();
        if let Some(tool) = put {
            replaced = edit.put_variables(tool.registered)?;
            edit.put_entries(&path_name, tool.registered)?;
        }
        if let Some(before) = restore {
            edit.restore(&path_name, before)?;
        }
        let changes = edit.changes();
        let after = changes.iter().find(|c| same_name(&c.name, &path_name)).and_then(|c| c.after.as_ref());
        let mut findings = findings::length(after, &keys.words(scope))?;
        findings.extend(findings::strays(&background.registry, keys));
        findings.extend(findings::references_across(background, keys));
        if !changes.is_empty() {
            keys.check_rights(scope)?;
        }
        Ok(Self { scope, changes, findings, replaced, path_is })
    }

    /// Plans another text for `Path`, of the kind that it has; a new value is an expandable one. Where it was not there
    /// before ours and nothing is left in it, it goes.
    ///
    /// # Errors
    /// When that cannot be done without loss, within the limits, or with these rights.
    pub fn with_path(
        keys: &Keys,
        scope: Scope,
        background: &Background,
        text: String,
        was: Option<PathBefore>,
    ) -> Result<Self, RegistryError> {
        let mut edit = Edit::new(background, scope, keys.words(scope));
        let path_name = edit.path_name();
        let before = edit.get(&path_name)?;
        let path_is = PathBefore::of(before.as_ref());
        let value = before.unwrap_or_else(|| RegistryValue::new(ValueKind::Expandable, ""));
        let goes = text.is_empty() && was == Some(PathBefore::Missing);
        edit.set(&path_name, (!goes).then(|| value.with_text(text)));
        let changes = edit.changes();
        let after = changes.first().and_then(|change| change.after.as_ref());
        let findings = findings::length(after, &keys.words(scope))?;
        if !changes.is_empty() {
            keys.check_rights(scope)?;
        }
        Ok(Self { scope, changes, findings, replaced: Vec::new(), path_is })
    }

    /// The change as acts.
    #[must_use]
    pub fn acts(&self) -> Acts {
        let mut acts = Acts::default();
        for change in &self.changes {
            let stored = |value: &Option<RegistryValue>| {
                value.as_ref().map(|value| StoredValue::new(value.kind.number(), &value.bytes()))
            };
            let (before, after) = (stored(&change.before), stored(&change.after));
            acts.push(Act::Value { scope: self.scope, name: change.name.clone(), before, after });
        }
        acts
    }
}

#[cfg(test)]
mod tests {
    use super::super::environment::tests::key;
    use super::super::environment::{Builder, RegistryEnvironments};
    use super::*;

    #[test]
    fn what_cannot_be_edited_without_loss_is_refused() {
        let mut user = key(&["Path:=x"]);
        user.0[0].bytes = vec![0x00, 0xd8, 0, 0];
        let registry = RegistryEnvironments { user, ..RegistryEnvironments::default() };
        let background = Background { given: Vec::new(), registry, builder: Builder::Windows };
        let edit = Edit::new(&background, Scope::User, "K".to_owned());
        assert!(matches!(edit.get("PATH"), Err(RegistryError::NotText { .. })));
    }
}
