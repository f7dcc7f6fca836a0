//! What a lookup depends on beside the name.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use super::view::same_place;
use crate::environment::Environment;
use crate::path_list::{PathEntry, PathList, windows};
use crate::system::System;

/// The extensions that `cmd` tries when PATHEXT is not set ("PATHEXT", `cmd`).
pub const USUAL_EXTENSIONS: &str = ".COM;.EXE;.BAT;.CMD";

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LookupContext {
    pub system: System,
    pub path: OsString,
    /// The extensions of PATHEXT, in order; Windows only.
    pub path_extensions: Vec<String>,
    pub current_folder: PathBuf,
    /// The user's home folder, for callers that read `~` in an entry.
    pub home: Option<PathBuf>,
    /// The folder of the program that starts another; Windows only.
    pub program_folder: Option<PathBuf>,
    /// The program registered for the name that is looked up; Windows only.
    pub registered: Option<PathBuf>,
    pub system_root: Option<PathBuf>,
    /// How many of PATH's first folders are the system's, which come before the user's as a whole; Windows only.
    pub of_system: usize,
    /// Whether `NoDefaultCurrentDirectoryInExePath` is set.
    pub forbids_current_folder: bool,
}

impl LookupContext {
    pub fn new(system: System) -> Self {
        Self {
            system,
            path: OsString::new(),
            path_extensions: Vec::new(),
            current_folder: PathBuf::new(),
            home: None,
            program_folder: None,
            registered: None,
            system_root: None,
            of_system: 0,
            forbids_current_folder: false,
        }
    }

    pub fn of(environment: &Environment, current_folder: &Path) -> Self {
        let extensions = environment.get("PATHEXT").filter(|v| !v.is_empty()).unwrap_or(USUAL_EXTENSIONS.as_ref());
        Self {
            path: environment.get("PATH").unwrap_or_default().to_owned(),
            path_extensions: extensions
                .to_string_lossy()
                .split(';')
                .filter(|e| !e.is_empty())
                .map(str::to_ascii_lowercase)
                .collect(),
            current_folder: current_folder.to_owned(),
            home: environment.get("HOME").map(PathBuf::from),
            system_root: environment.get("SystemRoot").map(PathBuf::from),
            forbids_current_folder: environment.get("NoDefaultCurrentDirectoryInExePath").is_some(),
            ..Self::new(environment.system())
        }
    }

    /// Where a program of Windows lies in PATH, and is not found because PATHEXT leaves its ending out: that ending, and what
    /// would list it ("cmd": a file without one of these endings is no command). What is there stays; of `EXE`, or one with a
    /// blank, it is clear what was meant.
    pub fn unlisted_ending(&self, file: &Path) -> Option<(String, String)> {
        let ending = format!(".{}", file.extension()?.to_str()?.to_uppercase());
        let is_listed = self.path_extensions.iter().any(|listed| listed.eq_ignore_ascii_case(&ending));
        let folder = file.parent()?;
        let mut endings: Vec<String> = USUAL_EXTENSIONS.split(';').map(str::to_owned).collect();
        let in_path = || self.folders().iter().any(|there| same_place(there, folder, self.system));
        if self.system == System::Unix || is_listed || !endings.contains(&ending) || !in_path() {
            return None;
        }
        for listed in self.path_extensions.iter().flat_map(|listed| listed.split([',', ':', ' '])) {
            let meant = format!(".{}", listed.trim().trim_start_matches('.')).to_uppercase();
            if meant.len() > 1 && !endings.contains(&meant) {
                endings.push(meant);
            }
        }
        Some((ending, format!("run setx PATHEXT \"{}\", and open a new terminal", endings.join(";"))))
    }

    /// The folders of PATH in order, as they are when references are filled in.
    pub fn folders(&self) -> Vec<PathBuf> {
        match self.system {
            System::Unix => PathList::parse(&self.path).entries().map(PathEntry::folder).collect(),
            System::Windows => windows::parts(&self.path.to_string_lossy())
                .into_iter()
                .map(|part| windows::folder(part).into())
                .collect(),
        }
    }
}
