//! How callers look a command up: pure rules over a view of the file system.

mod builtins;
mod caller;
mod unix;
mod view;
mod windows;

use std::path::{Path, PathBuf};

pub use builtins::{builtin, own_answer};
pub use caller::{Caller, Shell};
use serde::Serialize;
pub use view::{Disk, FileView, Seen};
pub use windows::USUAL_EXTENSIONS;

use crate::machine::Environment;
use crate::system::System;

/// What answers to a command name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
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
    fn next(reason: Option<Reason>, won: &mut bool) -> Self {
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
    /// The file.
    pub path: PathBuf,
    /// The PATH entry it comes from, as written, and its place; `None` for a name with a folder in it.
    pub entry: Option<(std::ffi::OsString, usize)>,
    /// How it stands.
    pub standing: Standing,
    /// Why it is skipped.
    pub reason: Option<Reason>,
    /// Whether it is an app-execution alias of Windows.
    pub app_alias: bool,
}

/// What a lookup depends on beside the name.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Surroundings {
    /// The value of PATH.
    pub path: std::ffi::OsString,
    /// The extensions of PATHEXT, in order; Windows only.
    pub path_extensions: Vec<String>,
    /// The current folder.
    pub current_folder: PathBuf,
    /// The user's home folder, for callers that read `~` in an entry.
    pub home: Option<PathBuf>,
    /// The folder of the program that starts another; Windows only.
    pub program_folder: Option<PathBuf>,
    /// The Windows folder.
    pub system_root: Option<PathBuf>,
    /// Whether `NoDefaultCurrentDirectoryInExePath` is set.
    pub forbids_current_folder: bool,
}

impl Surroundings {
    /// Those of an environment and a current folder.
    #[must_use]
    pub fn of(environment: &Environment, current_folder: &Path) -> Self {
        let get = |name: &str| {
            let same = |key: &std::ffi::OsStr| key.to_str().is_some_and(|k| k.eq_ignore_ascii_case(name));
            environment.iter().find(|(key, _)| same(key)).map(|(_, value)| value.clone())
        };
        let extensions = get("PATHEXT").filter(|v| !v.is_empty()).unwrap_or_else(|| USUAL_EXTENSIONS.into());
        Self {
            path: get("PATH").unwrap_or_default(),
            path_extensions: extensions
                .to_string_lossy()
                .split(';')
                .filter(|e| !e.is_empty())
                .map(str::to_ascii_lowercase)
                .collect(),
            current_folder: current_folder.to_owned(),
            home: get("HOME").map(PathBuf::from),
            program_folder: None,
            system_root: get("SystemRoot").map(PathBuf::from),
            forbids_current_folder: get("NoDefaultCurrentDirectoryInExePath").is_some(),
        }
    }
}

/// Lists the files that `name` could mean to a caller, in order, the winner marked.
#[must_use]
pub fn candidates(caller: Caller, name: &str, around: &Surroundings, view: &dyn FileView) -> Vec<Candidate> {
    match caller.system() {
        _ if name.is_empty() => Vec::new(),
        System::Unix => unix::candidates(caller, name, around, view),
        System::Windows => windows::candidates(caller, name, around, view),
    }
}

/// Whether two paths lead to the same file, links followed.
#[must_use]
pub fn same_file(one: &Path, other: &Path) -> bool {
    one == other || matches!((one.canonicalize(), other.canonicalize()), (Ok(a), Ok(b)) if a == b)
}

/// The winner of a list of candidates.
#[must_use]
pub fn winner(candidates: &[Candidate]) -> Option<&Path> {
    candidates.iter().find(|c| c.standing == Standing::Winner).map(|c| c.path.as_path())
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;

    struct Made(BTreeMap<&'static str, Seen>);

    impl FileView for Made {
        fn look(&self, path: &Path) -> Seen {
            self.0.get(&*path.to_str().unwrap().replace('\\', "/")).copied().unwrap_or(Seen::Missing)
        }
    }

    #[test]
    fn the_first_program_wins_and_the_rest_is_told() {
        let made = Made(BTreeMap::from([
            ("/a/t", Seen::Folder),
            ("/b/t", Seen::File),
            ("/c/t", Seen::Program),
            ("/now/t", Seen::Program),
            ("/d/t", Seen::BrokenLink),
            ("/e/t", Seen::Program),
        ]));
        let around =
            |path: &str| Surroundings { path: path.into(), current_folder: "/now".into(), ..Surroundings::default() };
        let list = |path: &str, name: &str| -> Vec<(String, Standing, Option<Reason>)> {
            candidates(Caller::Exec, name, &around(path), &made)
                .into_iter()
                .map(|c| (c.path.to_str().unwrap().replace('\\', "/"), c.standing, c.reason))
                .collect()
        };
        assert_eq!(
            list("/a:/b:/c::/d:/e", "t"),
            [
                ("/a/t".into(), Standing::Skipped, Some(Reason::IsAFolder)),
                ("/b/t".into(), Standing::Skipped, Some(Reason::NotExecutable)),
                ("/c/t".into(), Standing::Winner, None),
                ("/now/t".into(), Standing::Shadowed, None),
                ("/d/t".into(), Standing::Skipped, Some(Reason::BrokenLink)),
                ("/e/t".into(), Standing::Shadowed, None),
            ]
        );
        assert_eq!(list("/x:", "t")[0].0, "/now/t");
        assert_eq!(list("", "t")[0].0, "/now/t", "a PATH of nothing is one empty entry to most");
        assert_eq!(list("/c", "/e/t"), [("/e/t".into(), Standing::Winner, None)]);
        assert!(list("/c", "").is_empty());
    }
}
