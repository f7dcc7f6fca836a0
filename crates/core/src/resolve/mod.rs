//! How callers look a command up: pure rules over a view of the file system.

mod builtins;
mod caller;
mod view;

use std::path::{Path, PathBuf};

pub use builtins::builtin;
pub use caller::{Caller, Shell};
use serde::Serialize;
pub use view::{Disk, FileView, Seen};

use crate::path_list::PathList;

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
}

/// Lists the files that `name` could mean, in the order of PATH, the winner marked.
///
/// Rules: POSIX.1-2017, "Shell Command Language" 2.9.1.1 and "Environment Variables", PATH; execvp(3). A name with a
/// slash is a path and not searched for. What is not an executable regular file is passed over.
#[must_use]
pub fn candidates(name: &str, path: &PathList, view: &dyn FileView) -> Vec<Candidate> {
    if name.is_empty() {
        return Vec::new();
    }
    let places: Vec<(PathBuf, Option<(std::ffi::OsString, usize)>)> = if name.contains('/') {
        vec![(PathBuf::from(name), None)]
    } else {
        path.entries().map(|e| (e.folder().join(name), Some((e.raw.clone(), e.index)))).collect()
    };
    let mut won = false;
    let mut found = Vec::new();
    for (path, entry) in places {
        let reason = match view.look(&path) {
            Seen::Missing => continue,
            Seen::Program => None,
            Seen::File => Some(Reason::NotExecutable),
            Seen::Folder => Some(Reason::IsAFolder),
            Seen::BrokenLink => Some(Reason::BrokenLink),
            Seen::Unreadable => Some(Reason::Unreadable),
        };
        let standing = match reason {
            Some(_) => Standing::Skipped,
            None if won => Standing::Shadowed,
            None => Standing::Winner,
        };
        won |= standing == Standing::Winner;
        found.push(Candidate { path, entry, standing, reason });
    }
    found
}

/// The winner of a list of candidates.
#[must_use]
pub fn winner(candidates: &[Candidate]) -> Option<&Path> {
    candidates.iter().find(|c| c.standing == Standing::Winner).map(|c| c.path.as_path())
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;
    use std::ffi::OsStr;

    use super::*;

    struct Made(BTreeMap<&'static str, Seen>);

    impl FileView for Made {
        fn look(&self, path: &Path) -> Seen {
            self.0.get(path.to_str().unwrap()).copied().unwrap_or(Seen::Missing)
        }
    }

    #[test]
    fn the_first_program_wins_and_the_rest_is_told() {
        let made = Made(BTreeMap::from([
            ("/a/t", Seen::Folder),
            ("/b/t", Seen::File),
            ("/c/t", Seen::Program),
            ("./t", Seen::Program),
            ("/d/t", Seen::BrokenLink),
            ("/e/t", Seen::Program),
        ]));
        let list = |path: &str, name: &str| -> Vec<(String, Standing, Option<Reason>)> {
            candidates(name, &PathList::parse(OsStr::new(path)), &made)
                .into_iter()
                .map(|c| (c.path.display().to_string(), c.standing, c.reason))
                .collect()
        };
        assert_eq!(
            list("/a:/b:/c::/d:/e", "t"),
            [
                ("/a/t".into(), Standing::Skipped, Some(Reason::IsAFolder)),
                ("/b/t".into(), Standing::Skipped, Some(Reason::NotExecutable)),
                ("/c/t".into(), Standing::Winner, None),
                ("./t".into(), Standing::Shadowed, None),
                ("/d/t".into(), Standing::Skipped, Some(Reason::BrokenLink)),
                ("/e/t".into(), Standing::Shadowed, None),
            ]
        );
        assert_eq!(list("/x:", "t")[0].0, "./t");
        assert_eq!(list("/c", "/e/t"), [("/e/t".into(), Standing::Winner, None)]);
        assert!(list("/c", "").is_empty() && list("", "t").is_empty());
    }
}
