//! One entry of PATH, looked at by itself.

use std::ffi::OsString;
use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::mpsc::sync_channel;
use std::time::Duration;

use crate::finding::{Code, Finding};
use crate::folders::{Typed, cleaned_place, commands, drive_away};
use crate::scope::Scope;
use crate::suggestion::suggested;
use crate::system::System;

/// An entry: whose, as written, and the folder it stands for.
#[derive(Debug, Clone)]
pub(super) struct Entry {
    pub scope: Scope,
    pub raw: OsString,
    pub folder: PathBuf,
    /// Whether it has other folders as well, which go where it goes.
    pub has_others: bool,
    /// Whether new terminals need the folder to be there.
    pub is_needed: bool,
}

impl Entry {
    /// How to take it out of PATH, where that is a good idea and can be done.
    pub fn to_drop(&self, system: System) -> Option<String> {
        if self.is_needed {
            return None;
        }
        if self.has_others {
            return Some(format!("change the variable that {} refers to", self.raw.to_string_lossy()));
        }
        let whose = if system == System::Windows && self.scope == Scope::System { " --scope system" } else { "" };
        Some(format!("run {}", suggested(system, &format!("path drop {{}}{whose}"), &[&self.folder])))
    }
}

#[derive(Debug, Default)]
pub(super) struct Inspected {
    pub exists: bool,
    pub commands: Vec<Typed>,
    pub findings: Vec<Finding>,
}

/// How long a folder may take to answer: one on a network that is not there takes minutes.
const PATIENCE: Duration = Duration::from_secs(2);

/// Looks at an entry, and gives it up where its folder does not answer in time. The thread that waits for it is left to
/// itself: nothing can make it come back.
pub(super) fn look_in_time(entry: &Entry, home: &Path, system: System) -> Inspected {
    let (tell, told) = sync_channel(1);
    let (its, home) = (entry.clone(), home.to_owned());
    std::thread::spawn(move || drop(tell.send(look(&its, &home, system))));
    told.recv_timeout(PATIENCE).unwrap_or_else(|_| {
        let seen = format!("{} does not answer within {} s", entry.raw.to_string_lossy(), PATIENCE.as_secs());
        let remedy = "connect its disk, or remove the entry; every lookup waits for it";
        Inspected { findings: vec![Finding::new(Code::PlaceSilent, seen).remedy(remedy)], ..Inspected::default() }
    })
}

pub(super) fn look(entry: &Entry, home: &Path, system: System) -> Inspected {
    let mut seen = Inspected::default();
    let shown = entry.raw.to_string_lossy().into_owned();
    let mut tell = |code, words: &str, remedy: &str| {
        let finding = Finding::new(code, if shown.is_empty() { words.to_owned() } else { format!("{shown} {words}") });
        seen.findings.push(if remedy.is_empty() { finding } else { finding.remedy(remedy) });
    };
    if entry.raw.is_empty() {
        // On Windows an empty part is passed over; elsewhere it is the current folder.
        if system == System::Unix {
            tell(
                Code::BlankEntry,
                "PATH has an empty entry, which means the current folder",
                "remove the extra ':' where PATH is set",
            );
        }
        return seen;
    }
    if shown.contains('"') {
        tell(Code::QuotedEntry, "contains quotes, which most programs take as part of the name", "remove the quotes");
    }
    if is_unexpanded(entry, system) {
        tell(
            Code::UnexpandedReference,
            "contains an unexpanded reference",
            "write the folder out, or use double quotes where PATH is set",
        );
    } else if !entry.folder.is_absolute() {
        tell(Code::RelativeEntry, "is relative: its meaning depends on the current folder", "use the absolute path");
    }
    match fs::metadata(&entry.folder) {
        Ok(found) if found.is_dir() => seen.exists = true,
        Ok(_) => tell(Code::NotAFolder, "is a file, not a folder", "add its folder to PATH instead"),
        Err(e) if e.kind() == ErrorKind::PermissionDenied => {
            tell(Code::UnreadableFolder, "cannot be read by you", "");
        }
        Err(_) if drive_away(&entry.folder, system).is_some() => {
            tell(Code::DriveAway, "is on a drive that is not connected", "");
        }
        Err(_) => {
            let restore = "restore the folder".to_owned();
            let remedy = entry.to_drop(system).map_or(restore.clone(), |to_drop| format!("{to_drop}, or {restore}"));
            tell(Code::FolderMissing, "does not exist", &remedy);
        }
    }
    if !seen.exists {
        return seen;
    }
    if let Some(place) = cleaned_place(&entry.folder, home) {
        tell(
            Code::CleanedPlace,
            &format!("is in {place}, which is cleaned regularly"),
            "move the tool to a permanent place; 'wyard receive' keeps a copy in the yard",
        );
    }
    match commands(&entry.folder, system) {
        Ok(commands) => seen.commands = commands,
        Err(_) => tell(Code::UnreadableFolder, "cannot be read by you", ""),
    }
    if seen.commands.is_empty() {
        if commands(&entry.folder.join("bin"), system).is_ok_and(|commands| !commands.is_empty()) {
            let finding = format!("{shown} has no commands, but its bin folder does");
            let to_add = suggested(system, "path add {}", &[entry.folder.join("bin")]);
            let and_drop = entry.to_drop(system).map(|to_drop| format!(", then {to_drop}")).unwrap_or_default();
            seen.findings.push(Finding::new(Code::BinBelow, finding).remedy(format!("run {to_add}{and_drop}")));
        } else {
            seen.findings.push(Finding::new(Code::EntryWithoutCommands, format!("{shown} has no commands")));
        }
    }
    seen
}

/// Whether an entry still holds a reference: `$NAME` or `~` on Unix, `%NAME%` on Windows.
fn is_unexpanded(entry: &Entry, system: System) -> bool {
    let folder = entry.folder.to_string_lossy();
    match system {
        System::Unix => folder.starts_with('~') || folder.contains('$'),
        System::Windows => folder.matches('%').count() > 1,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::environment::host_system;
    use crate::os;

    #[test]
    fn each_fault_of_an_entry_is_told() {
        let work = tempfile::tempdir().unwrap();
        // Not below the folder for temporary files, as far as the rules can tell.
        let home = Path::new("/no/such/home");
        let place = |name: &str| work.path().join(name);
        let program = |folder: &str| {
            fs::create_dir_all(place(folder)).unwrap();
            let file = place(folder).join(if host_system() == System::Windows { "t.exe" } else { "t" });
            fs::write(&file, "#!/bin/sh\n").unwrap();
            os::set_folder_mode(&file, 0o755).unwrap();
        };
        program("good");
        program("root/bin");
        fs::create_dir(place("empty")).unwrap();
        fs::write(place("file"), "").unwrap();
        let in_work = |name: &str| place(name).into_os_string();
        let codes = |raw: OsString| {
            let folder = PathBuf::from(&raw);
            let entry = Entry { scope: Scope::User, folder, raw, has_others: false, is_needed: false };
            let seen = look(&entry, home, host_system());
            let codes = seen.findings.iter().map(|f| f.code).filter(|code| *code != Code::CleanedPlace);
            (codes.collect::<Vec<_>>(), seen.commands.len())
        };
        for (raw, expected, commands) in [
            (in_work("good"), vec![], 1),
            (in_work("root"), vec![Code::BinBelow], 0),
            (in_work("empty"), vec![Code::EntryWithoutCommands], 0),
            (in_work("file"), vec![Code::NotAFolder], 0),
            (in_work("none"), vec![Code::FolderMissing], 0),
            ("bin/none".into(), vec![Code::RelativeEntry, Code::FolderMissing], 0),
        ] {
            assert_eq!(codes(raw.clone()), (expected, commands), "{raw:?}");
        }
        if host_system() == System::Unix {
            for (raw, expected) in [
                ("", vec![Code::BlankEntry]),
                ("~/bin", vec![Code::UnexpandedReference, Code::FolderMissing]),
                ("$TIDELOG_HOME/bin", vec![Code::UnexpandedReference, Code::FolderMissing]),
                ("\"/no/such\"", vec![Code::QuotedEntry, Code::RelativeEntry, Code::FolderMissing]),
            ] {
                assert_eq!(codes(raw.into()).0, expected, "{raw}");
            }
        }
        let (raw, folder) = (in_work("good"), place("good"));
        let entry = Entry { scope: Scope::User, raw, folder, has_others: false, is_needed: false };
        assert_eq!(look(&entry, home, host_system()).findings[0].code, Code::CleanedPlace);
    }
}
