//! How a waybill and a card write steps and launchers.

use std::fmt;
use std::path::{Component, Path, PathBuf};

use serde::{Deserialize, Serialize};

/// A step that prepares a tool: one thing that is done, and what belongs to it. Paths are relative to the tool's home.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct PrepareStep {
    /// A sample that is copied.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub copy: Option<PathBuf>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub to: Option<PathBuf>,
    /// The file that is edited or written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub file: Option<PathBuf>,
    /// The section of a settings file; in TOML, a table.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub section: Option<String>,
    /// The key whose line loses its comment mark.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub uncomment: Option<String>,
    /// The key that is removed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub remove: Option<String>,
    /// The text that is replaced; it has to be there exactly once.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub replace: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
    /// The whole content of a small file.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub write: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub set: Option<SetKey>,
}

/// A key and the value that it gets.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SetKey {
    pub key: String,
    pub value: SettingValue,
}

/// The value of a setting. Only TOML tells the kinds apart.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum SettingValue {
    Truth(bool),
    Number(i64),
    Text(String),
}

impl fmt::Display for SettingValue {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Truth(value) => write!(f, "{value}"),
            Self::Number(value) => write!(f, "{value}"),
            Self::Text(value) => f.write_str(value),
        }
    }
}

/// A launcher: a command that starts an interpreter with a file of the tool.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Launcher {
    /// The command that a user types.
    pub command: String,
    /// The program and its first arguments; what the user types comes behind them.
    pub runs: Vec<String>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step<'a> {
    /// A sample is copied to a place where there is no file yet.
    Copy {
        from: &'a Path,
        to: &'a Path,
    },
    /// A settings file is edited.
    Settings {
        file: &'a Path,
        /// The section; none means the whole file.
        section: Option<&'a str>,
        edit: Edit<'a>,
    },
    Replace {
        file: &'a Path,
        old: &'a str,
        new: &'a str,
    },
    /// A file is written.
    Write {
        file: &'a Path,
        text: &'a str,
    },
}

/// What is done to a settings file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Edit<'a> {
    /// The comment mark before a key goes.
    Uncomment(&'a str),
    /// A key gets a value.
    Set(&'a str, &'a SettingValue),
    Remove(&'a str),
}

impl Step<'_> {
    /// The file that is made or changed.
    pub fn file(&self) -> &Path {
        match self {
            Self::Copy { to: file, .. }
            | Self::Settings { file, .. }
            | Self::Replace { file, .. }
            | Self::Write { file, .. } => file,
        }
    }
}

impl PrepareStep {
    /// Its texts that may have placeholders.
    pub fn texts(&self) -> impl Iterator<Item = String> {
        let set = self.set.as_ref().map(|set| set.value.to_string());
        [self.by.clone(), self.write.clone(), set].into_iter().flatten()
    }

    pub fn step(&self) -> Result<Step<'_>, String> {
        let Self { copy, to, file, section, uncomment, set, remove, replace, by, write } = self;
        let section = section.as_deref();
        let step = match (copy, to, file, section, uncomment, set, remove, replace, by, write) {
            (Some(from), Some(to), None, None, None, None, None, None, None, None) => Step::Copy { from, to },
            (None, None, Some(file), _, Some(key), None, None, None, None, None) => {
                Step::Settings { file, section, edit: Edit::Uncomment(key) }
            }
            (None, None, Some(file), _, None, Some(set), None, None, None, None) => {
                Step::Settings { file, section, edit: Edit::Set(&set.key, &set.value) }
            }
            (None, None, Some(file), _, None, None, Some(key), None, None, None) => {
                Step::Settings { file, section, edit: Edit::Remove(key) }
            }
            (None, None, Some(file), None, None, None, None, Some(old), Some(new), None) => {
                Step::Replace { file, old, new }
            }
            (None, None, Some(file), None, None, None, None, None, None, Some(text)) => Step::Write { file, text },
            _ => {
                let known = "copy and to; file and one of uncomment, set, remove, write; file, replace and by";
                return Err(format!("a prepare step needs one of: {known}"));
            }
        };
        let sample = if let Step::Copy { from, .. } = step { Some(from) } else { None };
        if let Some(outside) = [Some(step.file()), sample].into_iter().flatten().find(|path| !is_inside(path)) {
            return Err(format!("\"{}\" is not a path inside the tool", outside.display()));
        }
        let (key, value) = match step {
            Step::Settings { edit: Edit::Uncomment(key) | Edit::Remove(key), .. } => (key, String::new()),
            Step::Settings { edit: Edit::Set(key, value), .. } => (key, value.to_string()),
            _ => return if replace.as_deref() == Some("") { Err("replace is empty".to_owned()) } else { Ok(step) },
        };
        if key.trim().is_empty() || key.contains(['\n', '\r', '=']) {
            return Err(format!("\"{}\" is not a key", key.escape_debug()));
        }
        if [value.as_str(), section.unwrap_or_default()].iter().any(|text| text.contains(['\n', '\r'])) {
            return Err(format!("the value or section of \"{key}\" has a line break"));
        }
        Ok(step)
    }
}

/// Whether a path is relative and leads nowhere else.
fn is_inside(path: &Path) -> bool {
    !path.as_os_str().is_empty() && path.components().all(|part| matches!(part, Component::Normal(_)))
}
