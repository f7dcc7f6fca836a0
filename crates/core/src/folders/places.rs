//! Where programs are put, and where things get cleaned up.

use std::path::{Path, PathBuf};

use crate::machine::Machine;
use crate::system::System;

/// The system's folders that programs are put into, below the root: add-on packages, and what an administrator installs by
/// hand (Filesystem Hierarchy Standard 3.0, 3.13 and 4.9).
const UNIX: [&str; 2] = ["opt", "usr/local"];

/// The variables that hold such folders on Windows ("Recognized environment variables").
const WINDOWS: [&str; 3] = ["ProgramFiles", "ProgramFiles(x86)", "ProgramW6432"];

/// Where people put tools on Windows by hand.
const BY_HAND: &str = r"C:\Tools";

/// Below the home, the folders in which people put a folder for each tool.
const IN_HOME: [&str; 7] = ["tools", "Tools", "opt", "apps", "programs", "Downloads", ".local/opt"];

/// The folders in which something changes when programs are installed, with all that lies below them.
pub fn watched_places(machine: &Machine) -> Vec<PathBuf> {
    // What takes long to look through comes last: when so many files were seen, the rest is left out.
    let mut places = Vec::new();
    match machine.system() {
        System::Unix => {
            places.extend(UNIX.iter().chain(&["usr/bin", "usr/lib"]).map(|name| machine.root.join(name)));
        }
        System::Windows => {
            places.extend(WINDOWS.iter().chain(&["LOCALAPPDATA"]).filter_map(|name| machine.environment.folder(name)));
            places.push(BY_HAND.into());
        }
    }
    places.push(machine.home.clone());
    there(places)
}

/// The folders in which people and installers put a folder for each tool.
pub fn tool_places(machine: &Machine) -> Vec<PathBuf> {
    let mut places: Vec<PathBuf> = IN_HOME.iter().map(|name| machine.home.join(name)).collect();
    match machine.system() {
        System::Unix => places.extend(["opt", "usr/local/lib"].map(|name| machine.root.join(name))),
        System::Windows => {
            places.extend(WINDOWS.iter().filter_map(|name| machine.environment.folder(name)));
            places.extend(machine.environment.folder("LOCALAPPDATA").map(|folder| folder.join("Programs")));
            places.push(BY_HAND.into());
        }
    }
    there(places)
}

/// Those that are there, each once, however it is spelled.
fn there(mut places: Vec<PathBuf>) -> Vec<PathBuf> {
    places.retain(|place| place.is_dir());
    places.dedup_by(|a, b| a == b || matches!((a.canonicalize(), b.canonicalize()), (Ok(a), Ok(b)) if a == b));
    places
}

/// The place that a folder lies in, where that is one that people or systems clean.
pub fn cleaned_place(folder: &Path, home: &Path) -> Option<String> {
    let temporary = std::env::temp_dir();
    let places = [home.join("Downloads"), home.join("Desktop"), temporary, "/tmp".into(), "/var/tmp".into()];
    // Windows takes the home itself for the temporary folder where neither TMP nor TEMP is set (GetTempPath).
    let place = places.into_iter().find(|place| folder.starts_with(place) && !home.starts_with(place))?;
    Some(place.display().to_string())
}
