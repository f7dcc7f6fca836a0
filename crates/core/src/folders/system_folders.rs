//! The folders of the system itself: what lies there came with it.

use std::path::{Path, PathBuf};

use crate::environment::Environment;
use crate::path_list::{is_spelled_alike, lies_in};
use crate::system::System;

/// The folders of a Unix system (hier(7)); `/usr/lib` holds programs of its packages, in folders of their own.
const UNIX: [&str; 6] = ["/bin", "/sbin", "/usr/bin", "/usr/sbin", "/usr/games", "/usr/lib"];

/// What Windows puts into everybody's Path when it is installed, below its own folder ("OpenSSH" from Windows 10 on).
const WINDOWS: [&str; 5] =
    ["", r"\System32", r"\System32\Wbem", r"\System32\WindowsPowerShell\v1.0", r"\System32\OpenSSH"];

/// The folders of the system itself, with all that lies below them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SystemFolders {
    folders: Vec<PathBuf>,
    system: System,
}

impl SystemFolders {
    pub fn of(environment: &Environment) -> Self {
        let system = environment.system();
        let folders = match system {
            System::Unix => UNIX.map(PathBuf::from).to_vec(),
            System::Windows => {
                vec![environment.get("SystemRoot").map_or_else(|| PathBuf::from(r"C:\Windows"), PathBuf::from)]
            }
        };
        Self { folders, system }
    }

    /// Whether a file or folder is the system's: lies in one of these, or is one.
    pub fn hold(&self, path: &Path) -> bool {
        self.folders.iter().any(|folder| lies_in(path, folder, self.system))
    }

    /// Whether new terminals need a folder in PATH as Windows comes with it. On Unix the shells and the system see to that.
    pub fn need(&self, folder: &Path) -> bool {
        let is_it = |below: &str| {
            let whole = |root: &PathBuf| format!("{}{below}", root.display());
            self.folders.iter().any(|root| is_spelled_alike(folder, Path::new(&whole(root)), self.system))
        };
        self.system == System::Windows && WINDOWS.into_iter().any(is_it)
    }

    /// The same of a folder with its links followed, as where `/bin` leads to `/usr/bin`.
    pub fn hold_real(&self, folder: &Path) -> bool {
        self.hold(folder) || folder.canonicalize().is_ok_and(|real| self.hold(&real))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_that_only_begins_like_one_is_not_the_systems() {
        let unix = SystemFolders::of(&Environment::new(System::Unix));
        for (path, is) in
            [("/usr/bin", true), ("/usr/lib/git-core", true), ("/usr/local/bin", false), ("/binary", false)]
        {
            assert_eq!(unix.hold(Path::new(path)), is, "{path}");
        }
        let windows = SystemFolders::of(&Environment::with(System::Windows, [("SystemRoot", r"C:\WINDOWS")]));
        assert!(windows.hold(Path::new(r"c:\windows\System32\")) && !windows.hold(Path::new(r"C:\WindowsApps")));
        for (path, needed) in [
            (r"c:\windows\", true),
            (r"C:\Windows\system32\WBEM", true),
            (r"C:\Windows\System32\OpenSSH\", true),
            (r"C:\Windows\Tide", false),
            (r"D:\Windows\System32", false),
        ] {
            assert_eq!(windows.need(Path::new(path)), needed, "{path}");
        }
    }
}
