//! What an installer has left: the tool among it is found, and brought under the yard's records.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use super::blame::Whose;
use super::run::{Choose, InstallError, InstallReport, InstallRequest};
use super::watch::{UninstallRecord, records};
use crate::error::Blamed as _;
use crate::finding::{Code, Finding};
use crate::layout::{self, ToolName};
use crate::machine::Machine;
use crate::os;
use crate::progress::Stop;
use crate::receive::{AdoptRequest, HomeVariables, ReceiveError, adopt, look_for_tool};
use crate::system::System;
use crate::yard::{Source, Yard};

/// Words that an installer's name has beside the tool's.
const INSTALLING: [&str; 6] = ["install", "installer", "setup", "user", "machine", "get"];

/// Something with commands in it.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Left {
    /// The tool's root, or the folder that it shares with others.
    folder: PathBuf,
    /// Its command folders below the root, where those were asked for.
    command_folders: Vec<PathBuf>,
    /// The commands that are new in a shared folder; `None` for a folder of its own.
    only: Option<Vec<String>>,
}

/// Finds the tool among what is new, and adopts it. What is in the way of that is told, and ends nothing: the installer
/// has run.
///
/// # Errors
/// When the yard cannot be read, or the user asked to stop.
pub(super) fn finish(
    machine: &Machine,
    request: &InstallRequest,
    report: &mut InstallReport,
    places: &[PathBuf],
    choose: Choose<'_>,
    stop: &Stop,
) -> Result<(), InstallError> {
    let found = find(machine, request, report, places)?;
    let folders: Vec<PathBuf> = found.iter().map(|left| left.folder.clone()).collect();
    let chosen = if found.len() > 1 { choose(&folders) } else { Some(0) };
    let Some(left) = chosen.and_then(|at| found.get(at)) else {
        report.findings.push(nothing_chosen(&folders, &request.command_folders));
        return Ok(());
    };
    let mut wanted = as_tool(machine, request, report, left);
    if found.len() > 1 {
        // The installer's name and version are those of all, and not of the one.
        (wanted.name, wanted.version) = (request.name.clone(), request.version.clone());
    }
    match adopt(machine, &wanted, stop) {
        Ok(adopted) => report.adopted = Some(adopted),
        Err(e @ (ReceiveError::Check(_) | ReceiveError::CheckInterrupted { .. })) => return Err(e.into()),
        Err(error) => {
            let folder = left.folder.display();
            let remedy = format!("wyard adopt \"{folder}\", with --name and --version where it does not tell them");
            let seen = format!("what it left in {folder} could not be taken on record: {}", words(&error));
            report.findings.push(Finding::new(Code::InstallerUnfinished, seen).remedy(error.hint().unwrap_or(remedy)));
        }
    }
    Ok(())
}

/// An error with what caused it.
fn words(error: &dyn std::error::Error) -> String {
    error.source().map_or_else(|| error.to_string(), |source| format!("{error}: {}", words(source)))
}

fn nothing_chosen(folders: &[PathBuf], given: &[PathBuf]) -> Finding {
    if let ([], [first, ..]) = (folders, given) {
        let seen = format!("nothing that it made or wrote to has commands in {}", first.display());
        return Finding::new(Code::NoCommands, seen).remedy("adopt what is listed under 'made': wyard adopt FOLDER");
    }
    if folders.is_empty() {
        let seen = "it left no command in any new folder: a part was not selected, or a download inside it failed";
        let again = "run it again with the part selected, its own arguments behind --, or --installer-folder DIR";
        return Finding::new(Code::NoCommands, seen).remedy(again);
    }
    let names: Vec<String> = folders.iter().map(|folder| folder.display().to_string()).collect();
    let seen = format!("it left commands in {} folders: {}", folders.len(), names.join(", "));
    Finding::new(Code::SeveralTools, seen).remedy("adopt the one you mean: wyard adopt FOLDER")
}

/// The folders with commands that are new, or were written to, the likeliest ones: where the user named command folders,
/// those that have them.
fn find(
    machine: &Machine,
    request: &InstallRequest,
    report: &InstallReport,
    places: &[PathBuf],
) -> Result<Vec<Left>, InstallError> {
    let yard = Yard::of(machine);
    let seen = &report.seen;
    let cards = yard.cards()?;
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
        seen.folders.iter().any(|folder| path.starts_with(folder)) || files.any(|file| file == path)
    };
    let mut found: Vec<Left> = Vec::new();
    let whole = |folder: &Path, found: &mut Vec<Left>| {
        let Some((folder, command_folders)) = tool_in(folder, given) else { return };
        if !is_shared(&folder) {
            let command_folders = if given.is_empty() { Vec::new() } else { command_folders };
            return add(found, Left { folder, command_folders, only: None });
        }
        for place in command_folders.into_iter().map(|below| folder.join(below)) {
            let only: Vec<String> = programs(&place).filter(is_new).map(|path| typed(&path)).collect();
            if !only.is_empty() {
                add(found, Left { folder: place, command_folders: Vec::new(), only: Some(only) });
            }
        }
    };
    let recorded = seen.installed.iter().map(|record| PathBuf::from(record.folder.trim_matches('"')));
    let new = seen.folders.iter().cloned().chain(recorded.filter(|folder| folder.is_dir()));
    for folder in new {
        whole(&around_bin(&folder), &mut found);
    }
    // What was written to where folders had been before: an earlier installation, or a place for everybody's programs.
    let mut written: BTreeMap<&Path, Vec<String>> = BTreeMap::new();
    for file in seen.single_files.iter().chain(&seen.files_changed).filter(|file| is_program(file)) {
        if let Some(folder) = file.parent().filter(|_| !leads_into(file, &found)) {
            written.entry(folder).or_default().push(typed(file));
        }
    }
    for (folder, names) in written {
        let root = around_bin(folder);
        let has_others = programs(folder).any(|path| !names.contains(&typed(&path)));
        if homes.contains(&root) || !has_others && !is_shared(&root) && !is_shared(folder) {
            whole(&root, &mut found);
        } else if given.iter().all(|given| given == folder) {
            add(&mut found, Left { folder: folder.to_owned(), command_folders: Vec::new(), only: Some(names) });
        }
    }
    // It made the same files again, which leaves no trace where the system does not tell of it.
    let is_this = |card: &&crate::yard::Card| card.source.sha256 == report.plan.sha256 && card.folder.is_some();
    let known = cards.iter().rfind(is_this).map(|card| yard.home_of(card));
    for folder in known.into_iter().chain(request.folder.clone()) {
        if found.is_empty() {
            whole(&around_bin(&folder), &mut found);
        }
    }
    Ok(found)
}

/// The tool in a folder, and its command folders; where some are named, only one that has those.
fn tool_in(folder: &Path, given: &[PathBuf]) -> Option<(PathBuf, Vec<PathBuf>)> {
    let looked = look_for_tool(folder, &[]);
    if given.is_empty() {
        return looked.ok();
    }
    let root = looked.map_or_else(|_| folder.to_owned(), |(root, _)| root);
    let below = |given: &PathBuf| match given.is_absolute() {
        true => given.strip_prefix(&root).ok().map(Path::to_owned),
        false => Some(given.clone()),
    };
    look_for_tool(&root, &given.iter().map(below).collect::<Option<Vec<_>>>()?).ok()
}

/// Adds one, unless it lies in another; what lies in it goes.
fn add(found: &mut Vec<Left>, new: Left) {
    if found.iter().any(|known| new.folder.starts_with(&known.folder)) {
        return;
    }
    found.retain(|known| !known.folder.starts_with(&new.folder));
    found.push(new);
}

/// Whether a file is a link to something in these.
fn leads_into(file: &Path, found: &[Left]) -> bool {
    let end = fs::canonicalize(file).ok().filter(|_| file.is_symlink());
    end.is_some_and(|end| {
        found.iter().any(|left| fs::canonicalize(&left.folder).is_ok_and(|folder| end.starts_with(folder)))
    })
}

/// The folder around one that is called `bin`.
fn around_bin(folder: &Path) -> PathBuf {
    match folder.parent().filter(|_| folder.file_name().is_some_and(|name| name.eq_ignore_ascii_case("bin"))) {
        Some(around) => around.to_owned(),
        None => folder.to_owned(),
    }
}

fn is_program(path: &Path) -> bool {
    let may_run = match os::HERE {
        System::Unix => os::may_execute(path),
        System::Windows => layout::extension_rank(&path.to_string_lossy()).is_some(),
    };
    may_run && path.is_file()
}

/// The programs that lie in a folder itself.
fn programs(folder: &Path) -> impl Iterator<Item = PathBuf> {
    fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path()).filter(|path| is_program(path))
}

fn typed(path: &Path) -> String {
    layout::typed(path, os::HERE)
}

/// What is asked of `adopt`.
fn as_tool(machine: &Machine, request: &InstallRequest, report: &InstallReport, left: &Left) -> AdoptRequest {
    let whose = Whose::of(&report.seen, machine);
    let installer = &report.plan.installer;
    // Of one that was run again nothing is new on the system's record.
    let is_its = |record: &UninstallRecord| {
        let of_product = installer.product.as_ref().is_some_and(|name| record.name.eq_ignore_ascii_case(name));
        of_product || !record.folder.is_empty() && Path::new(record.folder.trim_matches('"')) == left.folder
    };
    let record = report.seen.installed.first().cloned().or_else(|| records().into_iter().find(is_its));
    let guess = layout::guess(&report.plan.file.file_name().unwrap_or_default().to_string_lossy());
    let version = installer.version.clone().or_else(|| record.as_ref().map(|r| r.version.clone())).or(guess.version);
    let only_one = left.only.as_ref().and_then(|names| <&[String; 1]>::try_from(&names[..]).ok()).map(|[name]| name);
    let names = [guess.name, installer.product.clone(), only_one.cloned()];
    let name = names.into_iter().flatten().find_map(|text| name_of(&text));
    let recorded = record.map(|record| record.command).filter(|command| !command.is_empty());
    let own = || own_uninstaller(&left.folder).filter(|_| left.only.is_none());
    AdoptRequest {
        folder: left.folder.clone(),
        name: request.name.clone().or(name),
        version: request.version.clone().or_else(|| version?.parse().ok()),
        command_folders: left.command_folders.clone(),
        home_variables: match (&left.only, &request.home_variables) {
            (Some(_), HomeVariables::Usual) => HomeVariables::None,
            (_, asked) => asked.clone(),
        },
        scope: request.scope,
        only: left.only.clone(),
        renew: true,
        move_in: false,
        added: report.seen.startup_files.iter().filter_map(|file| whose.own_text(file)).collect(),
        uninstaller: recorded.or_else(own).map(|command| vec![command]),
        source: Some(Source {
            file: report.plan.file.to_string_lossy().into_owned(),
            bytes: fs::metadata(&report.plan.file).map_or(0, |seen| seen.len()),
            sha256: report.plan.sha256.clone(),
            compared: report.plan.compared,
        }),
        dry_run: false,
    }
}

/// A tool's name, from that of its installer or its product: without the words that only say that it installs.
fn name_of(text: &str) -> Option<ToolName> {
    let lower = text.to_lowercase();
    let words = lower.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty());
    let words: Vec<&str> = words.filter(|word| !INSTALLING.contains(word)).collect();
    words.join("-").parse().ok()
}

/// A program at the tool's root that is called as what removes it.
fn own_uninstaller(root: &Path) -> Option<String> {
    let is_one = |path: &PathBuf| {
        let name = path.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
        name.starts_with("uninstall")
    };
    programs(root).filter(is_one).min().map(|path| path.to_string_lossy().into_owned())
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
            assert_eq!(name_of(text).map(|name| name.to_string()).as_deref(), expected, "{text}");
        }
    }

    #[test]
    fn what_lies_in_another_is_a_part_of_it() {
        let left = |folder: &str| Left { folder: folder.into(), command_folders: Vec::new(), only: None };
        let mut found = Vec::new();
        for folder in ["/a/b/aux", "/a/b", "/a/b/lib", "/a/bc"] {
            add(&mut found, left(folder));
        }
        assert_eq!(found, [left("/a/b"), left("/a/bc")]);
    }
}
