//! One entry of PATH, looked at by itself.

use std::ffi::{OsStr, OsString};
use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::mpsc::sync_channel;
use std::time::Duration;

use crate::finding::{Code, Finding};
use crate::os;
use crate::system::System;

/// An entry: as written, and the folder it stands for.
#[derive(Debug, Clone)]
pub(super) struct Entry {
    pub raw: OsString,
    pub folder: PathBuf,
}

/// A file that can be typed.
#[derive(Debug, Clone)]
pub(super) struct Typed {
    /// What is typed; in lower case where case makes no difference.
    pub name: OsString,
    pub file: PathBuf,
}

/// What was seen of an entry.
#[derive(Debug, Default)]
pub(super) struct Seen {
    pub exists: bool,
    pub commands: Vec<Typed>,
    pub findings: Vec<Finding>,
}

/// How long a folder may take to answer: one on a network that is not there takes minutes.
const PATIENCE: Duration = Duration::from_secs(2);

/// Looks at an entry, and gives it up where its folder does not answer in time. The thread that waits for it is left to
/// itself: nothing can make it come back.
pub(super) fn look_in_time(entry: &Entry, home: &Path) -> Seen {
    let (tell, told) = sync_channel(1);
    let (its, home) = (entry.clone(), home.to_owned());
    std::thread::spawn(move || drop(tell.send(look(&its, &home))));
    told.recv_timeout(PATIENCE).unwrap_or_else(|_| {
        let seen = format!("{} does not answer within {} s", entry.raw.to_string_lossy(), PATIENCE.as_secs());
        let remedy = "connect what it lies on, or take the entry out: every search for a command waits for it";
        Seen { findings: vec![Finding::new(Code::PlaceSilent, seen).remedy(remedy)], ..Seen::default() }
    })
}

/// Looks at an entry and into its folder.
pub(super) fn look(entry: &Entry, home: &Path) -> Seen {
    let mut seen = Seen::default();
    let shown = entry.raw.to_string_lossy().into_owned();
    let mut tell = |code, words: &str, remedy: &str| {
        let finding = Finding::new(code, if shown.is_empty() { words.to_owned() } else { format!("{shown} {words}") });
        seen.findings.push(if remedy.is_empty() { finding } else { finding.remedy(remedy) });
    };
    if entry.raw.is_empty() {
        // On Windows an empty part is passed over; elsewhere it is the current folder.
        if os::HERE == System::Unix {
            tell(
                Code::BlankEntry,
                "PATH has an empty entry, which means whatever folder you are in",
                "take out the doubled, leading or trailing ':' where PATH is set",
            );
        }
        return seen;
    }
    if shown.contains('"') {
        tell(
            Code::QuotedEntry,
            "has quotes in it, which most programs take for a part of the name",
            "take the quotes out",
        );
    }
    if is_unexpanded(entry) {
        tell(
            Code::UnexpandedReference,
            "refers to something that was not filled in",
            "write the folder out, or set PATH where the reference is filled in (in double quotes, not single ones)",
        );
    } else if !entry.folder.is_absolute() {
        tell(
            Code::RelativeEntry,
            "is relative: what it means depends on the folder you are in",
            "write the folder out from the root",
        );
    }
    match fs::metadata(&entry.folder) {
        Ok(found) if found.is_dir() => seen.exists = true,
        Ok(_) => tell(Code::NotAFolder, "is a file, not a folder", "put the folder that holds it in PATH"),
        Err(e) if e.kind() == ErrorKind::PermissionDenied => {
            tell(Code::UnreadableFolder, "may not be looked into by you", "");
        }
        Err(_) => {
            let remedy = format!("run 'wyard path drop \"{}\"', or bring the folder back", entry.folder.display());
            tell(Code::FolderMissing, "is not there", &remedy);
        }
    }
    if !seen.exists {
        return seen;
    }
    if let Some(place) = cleaned_place(&entry.folder, home) {
        tell(
            Code::CleanedPlace,
            &format!("lies in {place}, which gets cleaned"),
            "move the tool to a lasting place: 'wyard receive' keeps a copy in the yard",
        );
    }
    match commands(&entry.folder) {
        Ok(commands) => seen.commands = commands,
        Err(_) => tell(Code::UnreadableFolder, "may not be looked into by you", ""),
    }
    if seen.commands.is_empty() {
        if commands(&entry.folder.join("bin")).is_ok_and(|commands| !commands.is_empty()) {
            let finding = format!("{shown} holds no command, while its bin does");
            let (bin, root) = (entry.folder.join("bin"), &entry.folder);
            let remedy =
                format!("run 'wyard path add \"{}\"' and 'wyard path drop \"{}\"'", bin.display(), root.display());
            seen.findings.push(Finding::new(Code::BinBelow, finding).remedy(remedy));
        } else {
            seen.findings.push(Finding::new(Code::EntryWithoutCommands, format!("{shown} holds no command")));
        }
    }
    seen
}

/// Whether an entry still holds a reference: `$NAME` or `~` on Unix, `%NAME%` on Windows.
fn is_unexpanded(entry: &Entry) -> bool {
    let folder = entry.folder.to_string_lossy();
    match os::HERE {
        System::Unix => folder.starts_with('~') || folder.contains('$'),
        System::Windows => folder.matches('%').count() > 1,
    }
}

/// The place that an entry lies in, where that is one that people or systems clean.
pub(crate) fn cleaned_place(folder: &Path, home: &Path) -> Option<String> {
    let temporary = std::env::temp_dir();
    let places = [home.join("Downloads"), home.join("Desktop"), temporary, "/tmp".into(), "/var/tmp".into()];
    let place = places.into_iter().find(|place| folder.starts_with(place))?;
    Some(place.display().to_string())
}

/// The names that can be typed for the files in a folder; none where it may not be looked into.
pub(crate) fn commands_in(folder: &Path) -> Vec<String> {
    let text = |typed: Typed| typed.name.into_string().ok();
    commands(folder).unwrap_or_default().into_iter().filter_map(text).collect()
}

/// The files in a folder that can be typed.
fn commands(folder: &Path) -> std::io::Result<Vec<Typed>> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder)?.flatten() {
        let (name, file) = (entry.file_name(), entry.path());
        let kind = entry.file_type().ok();
        let Some(name) = typed(&name).filter(|_| !kind.is_some_and(|kind| kind.is_dir())) else { continue };
        let runs = match os::HERE {
            // Only a link has to be looked at again: its kind is not that of what it leads to.
            System::Unix => os::may_execute(&file) && (kind.is_some_and(|kind| kind.is_file()) || !file.is_dir()),
            System::Windows => true,
        };
        if runs {
            found.push(Typed { name, file });
        }
    }
    found.sort_by(|a, b| a.name.cmp(&b.name));
    Ok(found)
}

/// What is typed to run a file of this name, if anything.
fn typed(name: &OsStr) -> Option<OsString> {
    if os::HERE == System::Unix {
        return Some(name.to_owned());
    }
    let path = Path::new(name);
    let extension = path.extension()?;
    let runs = ["com", "exe", "bat", "cmd"].iter().any(|listed| extension.eq_ignore_ascii_case(listed));
    runs.then(|| path.file_stem().map(OsStr::to_ascii_lowercase))?
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_fault_of_an_entry_is_told() {
        let work = tempfile::tempdir().unwrap();
        // Not below the folder for temporary files, as far as the rules can tell.
        let home = Path::new("/no/such/home");
        let place = |name: &str| work.path().join(name);
        let program = |folder: &str| {
            fs::create_dir_all(place(folder)).unwrap();
            let file = place(folder).join(if os::HERE == System::Windows { "t.exe" } else { "t" });
            fs::write(&file, "#!/bin/sh\n").unwrap();
            os::set_folder_mode(&file, 0o755).unwrap();
        };
        program("good");
        program("root/bin");
        fs::create_dir(place("empty")).unwrap();
        fs::write(place("file"), "").unwrap();
        let in_work = |name: &str| place(name).into_os_string();
        let codes = |raw: OsString| {
            let entry = Entry { folder: PathBuf::from(&raw), raw };
            let seen = look(&entry, home);
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
        if os::HERE == System::Unix {
            for (raw, expected) in [
                ("", vec![Code::BlankEntry]),
                ("~/bin", vec![Code::UnexpandedReference, Code::FolderMissing]),
                ("$TIDELOG_HOME/bin", vec![Code::UnexpandedReference, Code::FolderMissing]),
                ("\"/no/such\"", vec![Code::QuotedEntry, Code::RelativeEntry, Code::FolderMissing]),
            ] {
                assert_eq!(codes(raw.into()).0, expected, "{raw}");
            }
        }
        let entry = Entry { raw: in_work("good"), folder: place("good") };
        assert_eq!(look(&entry, home).findings[0].code, Code::CleanedPlace);
    }
}
