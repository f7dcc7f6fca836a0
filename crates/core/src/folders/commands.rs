//! What a folder holds that a person can type.

use std::ffi::{OsStr, OsString};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use crate::naming::extension_rank;
use crate::os;
use crate::system::System;

#[derive(Debug, Clone)]
pub struct Typed {
    /// What is typed; in lower case where case makes no difference.
    pub name: OsString,
    pub file: PathBuf,
}

/// The names that can be typed for the files in a folder; none where it may not be looked into.
pub fn commands_in(folder: &Path, system: System) -> Vec<String> {
    let text = |typed: Typed| typed.name.into_string().ok();
    commands(folder, system).unwrap_or_default().into_iter().filter_map(text).collect()
}

pub fn commands(folder: &Path, system: System) -> io::Result<Vec<Typed>> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder)?.flatten() {
        let (name, file) = (entry.file_name(), entry.path());
        let kind = entry.file_type().ok();
        let Some(name) = typed(&name, system).filter(|_| !kind.is_some_and(|kind| kind.is_dir())) else { continue };
        let runs = match system {
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
fn typed(name: &OsStr, system: System) -> Option<OsString> {
    if system == System::Unix {
        return Some(name.to_owned());
    }
    extension_rank(&name.to_string_lossy())?;
    Path::new(name).file_stem().map(OsStr::to_ascii_lowercase)
}

pub fn files_in(folder: &Path) -> Vec<PathBuf> {
    let Ok(found) = fs::read_dir(folder) else { return Vec::new() };
    let mut files: Vec<PathBuf> = found.flatten().map(|entry| entry.path()).filter(|path| path.is_file()).collect();
    files.sort();
    files
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_system_types_its_own_files() {
        let work = tempfile::tempdir().unwrap();
        for name in ["t.EXE", "u.cmd", "v.txt", "w"] {
            fs::write(work.path().join(name), "#!/bin/sh\n").unwrap();
        }
        os::set_folder_mode(&work.path().join("w"), 0o755).unwrap();
        assert_eq!(commands_in(work.path(), System::Windows), ["t", "u"]);
        // Which files may be executed is a matter of rights here.
        if crate::environment::host_system() == System::Unix {
            assert_eq!(commands_in(work.path(), System::Unix), ["w"]);
        }
    }
}
