//! The folders of the system itself: what lies there came with it.

use std::path::{Path, PathBuf};

use crate::environment::Environment;
use crate::system::System;

/// The folders of a Unix system (hier(7)); `/usr/lib` holds programs of its packages, in folders of their own.
const UNIX: [&str; 6] = ["/bin", "/sbin", "/usr/bin", "/usr/sbin", "/usr/games", "/usr/lib"];

/// The folders of the system itself, with all that lies below them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SystemFolders(Vec<PathBuf>);

impl SystemFolders {
    /// Those of the system that an environment belongs to.
    #[must_use]
    pub fn of(environment: &Environment) -> Self {
        Self(match environment.system() {
            System::Unix => UNIX.map(PathBuf::from).to_vec(),
            System::Windows => {
                vec![environment.get("SystemRoot").map_or_else(|| PathBuf::from(r"C:\Windows"), PathBuf::from)]
            }
        })
    }

    /// Whether a file or folder is the system's: lies in one of these, or is one.
    #[must_use]
    pub fn hold(&self, path: &Path) -> bool {
        self.0.iter().any(|folder| path.starts_with(folder))
    }

    /// The same of a folder with its links followed, as where `/bin` leads to `/usr/bin`.
    #[must_use]
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
    }
}
