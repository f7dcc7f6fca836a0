//! What changed while an installer ran: folders and files where programs go, the stores, the system's records of what is
//! installed.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fs;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use serde::Serialize;

use super::records::UninstallRecord;
use crate::error::FileError;
use crate::folders::watched_places;
use crate::machine::Machine;
use crate::os;
use crate::report::ReportPath;
use crate::scope::Scope;
use crate::shells::StartupFolders;
use crate::store::all_startup_files;
use crate::store::registry::RegistryEnvironments;
use crate::system::System;
use crate::whole_file;

/// How deep below a place new folders are looked for, and how many files are looked at: what an installer makes begins
/// higher up.
const DEEPEST: usize = 4;
const MOST: usize = 150_000;

/// Folders in which much changes all the time, and no program is put.
const RESTLESS: [&str; 6] = [".cache", "cache", ".git", "node_modules", "Temp", "tmp"];

/// What tells that a file was written: its size, the time of its content, and that of its last change of any kind. The
/// time of the content can be set to an older one, as archivers do.
type FileState = (u64, Option<SystemTime>, Option<(i64, i64)>);

#[derive(Debug)]
pub struct Watch {
    pub places: Vec<PathBuf>,
    folders: BTreeSet<PathBuf>,
    files: HashMap<PathBuf, FileState>,
    pub(super) startup: BTreeMap<PathBuf, Option<Vec<u8>>>,
    pub(super) registry: RegistryEnvironments,
    installed: Vec<UninstallRecord>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct StartupDifference {
    pub path: ReportPath,
    pub added: Vec<String>,
    pub removed: Vec<String>,
    /// All that is new, where it is one piece of whole lines and nothing is gone.
    #[serde(skip)]
    pub inserted: Option<String>,
    pub made: bool,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ValueDifference {
    pub scope: Scope,
    pub name: String,
    pub before: Option<String>,
    pub after: Option<String>,
    /// For PATH, the entries that are new, each with where it stands.
    pub entries: Vec<AddedEntry>,
    pub lost: Vec<String>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct AddedEntry {
    pub raw: String,
    pub place: EntryPlace,
    /// Whether it is in quotes, which most programs take for a part of the name.
    pub quoted: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum EntryPlace {
    First,
    Last,
    Between,
}

#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Differences {
    /// New folders, the outermost ones.
    pub folders: Vec<ReportPath>,
    pub files_added: usize,
    pub single_files: Vec<ReportPath>,
    /// Files that were there, and are otherwise now.
    pub files_changed: Vec<ReportPath>,
    pub startup_files: Vec<StartupDifference>,
    pub values: Vec<ValueDifference>,
    /// New records of what is installed.
    pub installed: Vec<UninstallRecord>,
}

impl Watch {
    /// Looks at everything. `extra` are places that the user names.
    pub fn look(machine: &Machine, folders: &StartupFolders, extra: &[PathBuf]) -> Result<Self, FileError> {
        let mut places = watched_places(machine);
        places.extend(extra.iter().cloned());
        places.dedup();
        let mut startup = BTreeMap::new();
        for path in all_startup_files(folders) {
            let content = whole_file::read(&path).ok();
            startup.insert(path, content);
        }
        let mut watch = Self {
            places: Vec::new(),
            folders: BTreeSet::new(),
            files: HashMap::new(),
            startup,
            registry: match machine.system() {
                System::Unix => RegistryEnvironments::default(),
                System::Windows => RegistryEnvironments::read(&machine.registry())?,
            },
            installed: UninstallRecord::all(),
        };
        for place in &places {
            watch.walk(place, 0, &machine.yard);
        }
        watch.places = places;
        Ok(watch)
    }

    fn walk(&mut self, folder: &Path, depth: usize, but: &Path) {
        let restless = folder.file_name().is_some_and(|name| RESTLESS.iter().any(|r| name.eq_ignore_ascii_case(r)));
        let is_looked_at = !self.folders.contains(folder) && folder != but && folder.is_dir();
        if depth > DEEPEST || !is_looked_at || depth > 0 && restless || self.files.len() > MOST {
            return;
        }
        self.folders.insert(folder.to_owned());
        for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
            let path = entry.path();
            match entry.metadata() {
                Ok(seen) if seen.is_dir() => self.walk(&path, depth + 1, but),
                Ok(seen) => {
                    self.files.insert(path, (seen.len(), seen.modified().ok(), os::changed_at(&seen)));
                }
                Err(_) => {}
            }
        }
    }

    /// What is otherwise `after` than it is here.
    pub fn differences(&self, after: &Self) -> Differences {
        let mut seen = Differences::default();
        for folder in after.folders.difference(&self.folders) {
            // Sorted, so that what holds others comes before them.
            if !seen.folders.iter().any(|outer| folder.starts_with(outer)) {
                seen.folders.push(folder.clone().into());
            }
        }
        seen.files_added = seen.folders.iter().map(|folder| files_below(folder)).sum();
        let is_startup = |path: &PathBuf| self.startup.contains_key(path) || after.startup.contains_key(path);
        for (path, now) in after.files.iter().filter(|(path, _)| !is_startup(path)) {
            match self.files.get(path) {
                None if !seen.folders.iter().any(|folder| path.starts_with(folder)) => {
                    seen.files_added += 1;
                    seen.single_files.push(path.clone().into());
                }
                Some(before) if before != now => seen.files_changed.push(path.clone().into()),
                _ => {}
            }
        }
        seen.single_files.sort();
        seen.files_changed.sort();
        for (path, now) in &after.startup {
            let before = self.startup.get(path).cloned().flatten();
            if before != *now {
                seen.startup_files.push(startup_seen(path, before.as_deref(), now.as_deref()));
            }
        }
        for scope in Scope::ALL {
            let (before, now) = (self.registry.of(scope), after.registry.of(scope));
            for name in self.registry.names_beside(&after.registry, scope) {
                let (was, is) = (before.get(&name).map(|v| v.text), now.get(&name).map(|v| v.text));
                if was != is {
                    let spelled = now.raw(&name).or_else(|| before.raw(&name)).map_or(name, |raw| raw.name.clone());
                    seen.values.push(value_seen(scope, &spelled, was, is));
                }
            }
        }
        let is_new = |record: &&UninstallRecord| !self.installed.contains(record);
        seen.installed = after.installed.iter().filter(is_new).cloned().collect();
        seen
    }
}

/// How many files lie in a folder, at any depth.
fn files_below(folder: &Path) -> usize {
    let (mut folders, mut files) = (vec![folder.to_owned()], 0);
    while let Some(folder) = folders.pop().filter(|_| files < MOST) {
        for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
            match entry.file_type() {
                Ok(kind) if kind.is_dir() => folders.push(entry.path()),
                _ => files += 1,
            }
        }
    }
    files
}

pub(super) fn startup_seen(path: &Path, before: Option<&[u8]>, now: Option<&[u8]>) -> StartupDifference {
    let made = before.is_none();
    let lines = |bytes: Option<&[u8]>| -> Vec<String> {
        String::from_utf8_lossy(bytes.unwrap_or_default()).lines().map(str::to_owned).collect()
    };
    let texts = [before, now].map(|bytes| std::str::from_utf8(bytes.unwrap_or_default()));
    let inserted = if let [Ok(before), Ok(now)] = texts { inserted(before, now) } else { None };
    let (before, now) = (lines(before), lines(now));
    let less =
        |some: &[String], others: &[String]| some.iter().filter(|line| !others.contains(line)).cloned().collect();
    StartupDifference { path: path.into(), added: less(&now, &before), removed: less(&before, &now), inserted, made }
}

pub(super) fn value_seen(scope: Scope, name: &str, before: Option<String>, after: Option<String>) -> ValueDifference {
    let (entries, lost) = entries(name, before.as_deref(), after.as_deref());
    ValueDifference { scope, name: name.to_owned(), before, after, entries, lost }
}

/// The lines by which a text is longer than it was, where they stand together.
fn inserted(before: &str, now: &str) -> Option<String> {
    let [before, now] = [before, now].map(|text| text.split_inclusive('\n').collect::<Vec<_>>());
    let more = now.len().checked_sub(before.len())?;
    let same = before.iter().zip(&now).take_while(|(one, other)| one == other).count();
    (before[same..] == now[same + more..]).then(|| now[same..same + more].concat())
}

/// The entries of PATH that are new, and those that are gone.
fn entries(name: &str, before: Option<&str>, now: Option<&str>) -> (Vec<AddedEntry>, Vec<String>) {
    if !name.eq_ignore_ascii_case("Path") {
        return (Vec::new(), Vec::new());
    }
    let parts = |text: Option<&str>| -> Vec<String> {
        text.unwrap_or_default().split(';').filter(|part| !part.is_empty()).map(str::to_owned).collect()
    };
    let (before, now) = (parts(before), parts(now));
    let place = |at: usize| match at {
        0 if now.len() > 1 => EntryPlace::First,
        at if at + 1 == now.len() => EntryPlace::Last,
        _ => EntryPlace::Between,
    };
    let new = now.iter().enumerate().filter(|(_, part)| !before.contains(part));
    let seen =
        |(at, raw): (usize, &String)| AddedEntry { raw: raw.clone(), place: place(at), quoted: raw.contains('"') };
    (new.map(seen).collect(), before.iter().filter(|part| !now.contains(part)).cloned().collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_put_in_as_one_piece_is_known() {
        for (before, now, expected) in [
            ("a\n", "a\nb\nc\n", Some("b\nc\n")),
            ("a\nz\n", "a\nb\nz\n", Some("b\n")),
            ("", "b\n", Some("b\n")),
            ("a\n", "b\na\nc\n", None),
            // Its last line had no end.
            ("a", "a\nb\n", None),
            ("a\nb\n", "a\n", None),
        ] {
            assert_eq!(inserted(before, now).as_deref(), expected, "{before:?} {now:?}");
        }
    }

    #[test]
    fn new_entries_of_path_are_told_with_their_place() {
        let told = |before: &str, now: &str| {
            let (new, lost) = entries("PATH", Some(before), Some(now));
            (new.into_iter().map(|entry| (entry.raw, entry.place, entry.quoted)).collect::<Vec<_>>(), lost)
        };
        let own = |raw: &str, place, quoted| vec![(raw.to_owned(), place, quoted)];
        assert_eq!(told(r"C:\a", r"C:\a;C:\b"), (own(r"C:\b", EntryPlace::Last, false), vec![]));
        assert_eq!(told(r"C:\a", r#""C:\b c";C:\a"#), (own(r#""C:\b c""#, EntryPlace::First, true), vec![]));
        assert_eq!(told(r"C:\a", r"C:\a"), (vec![], vec![]));
        assert_eq!(
            told(r"C:\a;C:\b", r"C:\c"),
            (own(r"C:\c", EntryPlace::Last, false), vec![r"C:\a".into(), r"C:\b".into()])
        );
        assert_eq!(entries("BUOY_HOME", None, Some("x")), (vec![], vec![]));
    }
}
