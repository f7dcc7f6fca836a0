//! The system's records of what is installed.

use std::collections::HashMap;
use std::path::Path;

use serde::Serialize;

use crate::os;

#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, schemars::JsonSchema)]
pub struct UninstallRecord {
    pub key: String,
    /// What it is called.
    pub name: String,
    pub version: String,
    /// Where it is installed, where that is told.
    pub folder: String,
    pub command: String,
}

impl UninstallRecord {
    pub fn all() -> Vec<Self> {
        os::uninstall_records().into_iter().map(record).collect()
    }

    pub fn of_folder(folder: &Path) -> Option<Self> {
        Self::all().into_iter().find(|record| record.is_in(folder))
    }

    pub fn is_in(&self, folder: &Path) -> bool {
        !self.folder.is_empty() && Path::new(self.folder.trim_matches('"')) == folder
    }
}

/// A record's command, which removes: that of Windows Installer is often one that asks whether to repair ("Command-Line
/// Options" of Windows Installer: `/i` installs or configures, `/x` removes).
fn removing(command: String) -> String {
    let lower = command.to_ascii_lowercase();
    match lower.find("/i{").filter(|_| lower.contains("msiexec")) {
        Some(at) => format!("{}/X{}", &command[..at], &command[at + 2..]),
        None => command,
    }
}

fn record((key, values): (String, HashMap<String, String>)) -> UninstallRecord {
    let text = |name: &str| values.get(name).cloned().unwrap_or_default();
    UninstallRecord {
        key,
        name: text("DisplayName"),
        version: text("DisplayVersion"),
        folder: text("InstallLocation"),
        command: removing(text("UninstallString")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_record_tells_what_removes() {
        for (command, told) in [
            ("MsiExec.exe /I{4B1D-1}", "MsiExec.exe /X{4B1D-1}"),
            ("\"C:\\Windows\\msiexec.exe\" /i{4B1D-1}", "\"C:\\Windows\\msiexec.exe\" /X{4B1D-1}"),
            ("MsiExec.exe /X{4B1D-1}", "MsiExec.exe /X{4B1D-1}"),
            ("C:\\buoyctl\\uninstall.exe /I{1}", "C:\\buoyctl\\uninstall.exe /I{1}"),
        ] {
            assert_eq!(removing(command.to_owned()), told);
        }
    }
}
