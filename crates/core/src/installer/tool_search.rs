//! The tool among what an installer has left.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use super::plan::{InstallPlan, InstallRequest};
use super::watch::Differences;
use crate::layout::{InPlaceError, tool_in_place};
use crate::naming::{ToolName, extension_rank, typed};
use crate::os;
use crate::session::{JobError, Session};
use crate::system::System;
use crate::yard::Card;

/// Words that an installer's name has beside the tool's.
const INSTALLING: [&str; 6] = ["install", "installer", "setup", "user", "machine", "get"];

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeftTool {
    /// The tool's root, or the folder that it shares with others.
    pub folder: PathBuf,
    /// Its command folders below the root, where those were asked for.
    pub command_folders: Vec<PathBuf>,
    /// The commands that are new in a shared folder; `None` for a folder of its own.
    pub only: Option<Vec<String>>,
}

/// The folders with commands that are new, or were written to, the likeliest ones: where the user named command folders,
/// those that have them.
pub fn find_tools(
    session: &Session,
    request: &InstallRequest,
    plan: &InstallPlan,
    seen: &Differences,
    places: &[PathBuf],
) -> Result<Vec<LeftTool>, JobError> {
    let (machine, yard, system) = (&session.machine, &session.yard, session.system());
    let cards = session.stock()?;
    let given = &request.command_folders;
    let homes: Vec<PathBuf> = cards.iter().filter(|card| card.folder.is_some()).map(|c| yard.home_of(c)).collect();
    let is_shared = |folder: &Path| {
        let of_user = machine.home.join(".local");
        let of_system = machine.root.join("usr");
        let named = places.iter().chain([&of_user, &of_system]).any(|place| place == folder);
        named || machine.home.starts_with(folder)
    };
    let is_new = |path: &PathBuf| {
        let mut files = seen.single_files.iter().chain(&seen.files_changed);
        seen.folders.iter().any(|folder| path.starts_with(folder)) || files.any(|file| **file == **path)
    };
    let mut found: Vec<LeftTool> = Vec::new();
    let whole = |folder: &Path, found: &mut Vec<LeftTool>| {
        let Some((folder, command_folders)) = tool_in(folder, given, system) else { return };
        if !is_shared(&folder) {
            let command_folders = if given.is_empty() { Vec::new() } else { command_folders };
            return add(found, LeftTool { folder, command_folders, only: None });
        }
        for place in command_folders.into_iter().map(|below| folder.join(below)) {
            let only: Vec<String> = programs(&place, system).filter(is_new).map(|path| typed(&path, system)).collect();
            if !only.is_empty() {
                add(found, LeftTool { folder: place, command_folders: Vec::new(), only: Some(only) });
            }
        }
    };
    let recorded = seen.installed.iter().map(|record| PathBuf::from(record.folder.trim_matches('"')));
    let new = seen.folders.iter().map(|folder| folder.to_path_buf()).chain(recorded.filter(|folder| folder.is_dir()));
    for folder in new {
        whole(&around_bin(&folder), &mut found);
    }
    // What was written to where folders had been before: an earlier installation, or a place for everybody's programs.
    let mut written: BTreeMap<&Path, Vec<String>> = BTreeMap::new();
    for file in seen.single_files.iter().chain(&seen.files_changed).filter(|file| is_program(file, system)) {
        if let Some(folder) = file.parent().filter(|_| !leads_into(file, &found)) {
            written.entry(folder).or_default().push(typed(file, system));
        }
    }
    for (folder, names) in written {
        let root = around_bin(folder);
        let has_others = programs(folder, system).any(|path| !names.contains(&typed(&path, system)));
        if homes.contains(&root) || !has_others && !is_shared(&root) && !is_shared(folder) {
            whole(&root, &mut found);
        } else if given.iter().all(|given| given == folder) {
            add(&mut found, LeftTool { folder: folder.to_owned(), command_folders: Vec::new(), only: Some(names) });
        }
    }
    // It made the same files again, which leaves no trace where the system does not tell of it.
    let is_this = |card: &&Card| card.source.sha256 == plan.sha256 && card.folder.is_some();
    let known = cards.iter().rfind(is_this).map(|card| yard.home_of(card));
    for folder in known.into_iter().chain(request.folder.clone()) {
        if found.is_empty() {
            whole(&around_bin(&folder), &mut found);
        }
    }
    Ok(found)
}

/// The tool in a folder, and its command folders; where some are named, only one that has those.
fn tool_in(folder: &Path, given: &[PathBuf], system: System) -> Option<(PathBuf, Vec<PathBuf>)> {
    let looked = look(folder, &[], system);
    if given.is_empty() {
        return looked.ok();
    }
    let root = looked.map_or_else(|_| folder.to_owned(), |(root, _)| root);
    let below = |given: &PathBuf| match given.is_absolute() {
        true => given.strip_prefix(&root).ok().map(Path::to_owned),
        false => Some(given.clone()),
    };
    look(&root, &given.iter().map(below).collect::<Option<Vec<_>>>()?, system).ok()
}

/// The home of the tool in a folder, and its command folders below that.
fn look(folder: &Path, given: &[PathBuf], system: System) -> Result<(PathBuf, Vec<PathBuf>), InPlaceError> {
    tool_in_place(folder, given, None, system).map(|(root, layout)| (root, layout.command_folders))
}

/// Adds one, unless it lies in another; what lies in it goes.
fn add(found: &mut Vec<LeftTool>, new: LeftTool) {
    if found.iter().any(|known| new.folder.starts_with(&known.folder)) {
        return;
    }
    found.retain(|known| !known.folder.starts_with(&new.folder));
    found.push(new);
}

/// Whether a file is a link to something in these.
fn leads_into(file: &Path, found: &[LeftTool]) -> bool {
    let end = fs::canonicalize(file).ok().filter(|_| file.is_symlink());
    end.is_some_and(|end| {
        found.iter().any(|left| fs::canonicalize(&left.folder).is_ok_and(|folder| end.starts_with(folder)))
    })
}

/// The folder around one that is called `bin`.
fn around_bin(folder: &Path) -> PathBuf {
    match folder.parent().filter(|_| folder.file_name().is_some_and(|name| name.eq_ignore_ascii_case("bin"))) {
        Some(context) => context.to_owned(),
        None => folder.to_owned(),
    }
}

fn is_program(path: &Path, system: System) -> bool {
    let may_run = match system {
        System::Unix => os::may_execute(path),
        System::Windows => extension_rank(&path.to_string_lossy()).is_some(),
    };
    may_run && path.is_file()
}

fn programs(folder: &Path, system: System) -> impl Iterator<Item = PathBuf> {
    fs::read_dir(folder)
        .into_iter()
        .flatten()
        .flatten()
        .map(|entry| entry.path())
        .filter(move |path| is_program(path, system))
}

/// A tool's name, from that of its installer or its product: without the words that only say that it installs.
pub fn tool_name(text: &str) -> Option<ToolName> {
    let lower = text.to_lowercase();
    let words = lower.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty());
    let words: Vec<&str> = words.filter(|word| !INSTALLING.contains(word)).collect();
    words.join("-").parse().ok()
}

/// A program at the tool's root that is called as what removes it.
pub fn own_uninstaller(root: &Path, system: System) -> Option<PathBuf> {
    let is_one = |path: &PathBuf| {
        let name = path.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
        name.starts_with("uninstall")
    };
    programs(root, system).filter(is_one).min()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_told_without_the_words_that_only_say_that_it_installs() {
        for (text, expected) in [
            ("buoyctl", Some("buoyctl")),
            ("buoyctl-setup", Some("buoyctl")),
            ("Buoyctl Setup", Some("buoyctl")),
            ("drift-c_installer", Some("drift-c")),
            ("get-buoyctl", Some("buoyctl")),
            ("install", None),
            ("", None),
        ] {
            assert_eq!(tool_name(text).map(|name| name.to_string()).as_deref(), expected, "{text}");
        }
    }

    #[test]
    fn what_lies_in_another_is_a_part_of_it() {
        let left = |folder: &str| LeftTool { folder: folder.into(), command_folders: Vec::new(), only: None };
        let mut found = Vec::new();
        for folder in ["/a/b/aux", "/a/b", "/a/b/lib", "/a/bc"] {
            add(&mut found, left(folder));
        }
        assert_eq!(found, [left("/a/b"), left("/a/bc")]);
    }
}
