//! The files that a name could mean, and how each stands.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

/// What answers to a command name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// A file found by way of PATH, or named with its folder.
    File,
    /// An alias of the shell.
    Alias,
    /// A function of the shell.
    Function,
    /// A command or keyword built into the shell.
    Builtin,
    /// Nothing.
    None,
}

/// How a candidate stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Standing {
    /// It is what runs.
    Winner,
    /// It would run if what comes before it were not there.
    Shadowed,
    /// It has the name and cannot run.
    Skipped,
}

impl Standing {
    /// That of the next candidate in order; `won` says whether one before it runs, and is kept.
    pub(super) fn next(reason: Option<Reason>, won: &mut bool) -> Self {
        match reason {
            Some(_) => Self::Skipped,
            None if *won => Self::Shadowed,
            None => {
                *won = true;
                Self::Winner
            }
        }
    }
}

/// Why a candidate is skipped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Reason {
    /// A file without a right to execute.
    NotExecutable,
    /// A folder.
    IsAFolder,
    /// A link whose target is missing.
    BrokenLink,
    /// Something in a folder that may not be searched.
    Unreadable,
    /// A file without an extension that the caller would try.
    ExtensionNotListed,
}

/// A file that a name could mean.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Candidate {
    pub path: PathBuf,
    /// The PATH entry it comes from, as written, and its place; `None` for a name with a folder in it.
    pub entry: Option<(OsString, usize)>,
    pub standing: Standing,
    pub reason: Option<Reason>,
    /// Whether it is an app-execution alias of Windows.
    pub app_alias: bool,
}

pub fn winner(candidates: &[Candidate]) -> Option<&Path> {
    candidates.iter().find(|c| c.standing == Standing::Winner).map(|c| c.path.as_path())
}
