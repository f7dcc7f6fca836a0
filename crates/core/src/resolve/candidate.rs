//! The files that a name could mean, and how each stands.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// A file found by way of PATH, or named with its folder.
    File,
    Alias,
    Function,
    Builtin,
    None,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Standing {
    Winner,
    /// It would run if what comes before it were not there.
    Shadowed,
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

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Reason {
    /// A file without a right to execute.
    NotExecutable,
    IsAFolder,
    BrokenLink,
    /// Something in a folder that may not be searched.
    Unreadable,
    /// A file without an extension that the caller would try.
    ExtensionNotListed,
}

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
