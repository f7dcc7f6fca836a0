//! Which shells are installed.

use std::path::PathBuf;

use crate::resolve::{Disk, FileView, Seen, Shell};

/// A shell that can be started.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InstalledShell {
    /// Which one.
    pub shell: Shell,
    /// Its program.
    pub program: PathBuf,
}

/// Folders in which systems and their add-on packages put shells.
const FOLDERS: [&str; 6] =
    ["/bin", "/usr/bin", "/usr/local/bin", "/opt/homebrew/bin", "/opt/local/bin", "/run/current-system/sw/bin"];

/// Finds the installed shells among the wanted ones: those named in `/etc/shells` (shells(5)) and those in the usual
/// folders, the first of each kind.
#[must_use]
pub fn installed(wanted: &[Shell]) -> Vec<InstalledShell> {
    let listed = std::fs::read_to_string("/etc/shells").unwrap_or_default();
    let listed: Vec<PathBuf> = listed.lines().filter(|l| l.starts_with('/')).map(|l| PathBuf::from(l.trim())).collect();
    let find = |shell: &Shell| {
        let usual = FOLDERS.iter().map(|folder| PathBuf::from(folder).join(shell.name()));
        let named = listed.iter().filter(|path| path.file_name().is_some_and(|n| n == shell.name())).cloned();
        let program = usual.chain(named).find(|path| Disk.look(path) == Seen::Program)?;
        Some(InstalledShell { shell: *shell, program })
    };
    wanted.iter().filter_map(find).collect()
}
