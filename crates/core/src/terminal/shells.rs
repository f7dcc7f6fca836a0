//! Which shells are installed.

use std::path::PathBuf;

use crate::os;
use crate::resolve::{Disk, FileView, Seen, Shell};
use crate::system::System;

/// A shell that can be started.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InstalledShell {
    /// Which one.
    pub shell: Shell,
    /// Its program.
    pub program: PathBuf,
}

/// Folders in which systems put shells; those elsewhere are named in `/etc/shells`.
const FOLDERS: [&str; 3] = ["/bin", "/usr/bin", "/usr/local/bin"];

/// Finds the installed shells of this system among the wanted ones. On Unix: those named in `/etc/shells` (shells(5))
/// and those in the usual folders, the first of each kind. On Windows: those in the system's own folders.
#[must_use]
pub fn installed(wanted: &[Shell]) -> Vec<InstalledShell> {
    let listed = std::fs::read_to_string("/etc/shells").unwrap_or_default();
    let listed: Vec<PathBuf> = listed.lines().filter(|l| l.starts_with('/')).map(|l| PathBuf::from(l.trim())).collect();
    let find = |shell: &Shell| {
        if shell.system() != os::HERE {
            return None;
        }
        if shell.system() == System::Windows {
            let root = std::env::var_os("SystemRoot").map_or_else(|| PathBuf::from("C:\\Windows"), PathBuf::from);
            let system = root.join("System32");
            let program = match shell {
                // Wine's is a stand-in that answers nothing.
                Shell::PowerShell if os::is_wine() => return None,
                Shell::PowerShell => system.join("WindowsPowerShell").join("v1.0").join("powershell.exe"),
                _ => system.join("cmd.exe"),
            };
            return program.is_file().then_some(InstalledShell { shell: *shell, program });
        }
        let usual = FOLDERS.iter().map(|folder| PathBuf::from(folder).join(shell.name()));
        let named = listed.iter().filter(|path| path.file_name().is_some_and(|n| n == shell.name())).cloned();
        let program = usual.chain(named).find(|path| Disk.look(path) == Seen::Program)?;
        Some(InstalledShell { shell: *shell, program })
    };
    wanted.iter().filter_map(find).collect()
}
