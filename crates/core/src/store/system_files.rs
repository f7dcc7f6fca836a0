//! The startup files of the system, which shells read for every user, and macOS's lists of folders.

use std::ffi::OsString;
use std::fs;
use std::path::{Path, PathBuf};

use crate::path_list::PathList;
use crate::resolve::Shell;
use crate::terminal::files_in;

/// The system's startup files that a shell may read, in order: those that its manual page names, and the folders that
/// systems have them read.
#[must_use]
pub fn system_startup_files(shell: Shell) -> Vec<PathBuf> {
    let (files, folder): (&[&str], &str) = match shell {
        Shell::Sh | Shell::Ksh => (&["/etc/profile", "/etc/ksh.kshrc"], "/etc/profile.d"),
        Shell::Bash => (&["/etc/profile", "/etc/bash.bashrc", "/etc/bashrc"], "/etc/profile.d"),
        Shell::Zsh => (
            &["/etc/zshenv", "/etc/zsh/zshenv", "/etc/zprofile", "/etc/zsh/zprofile", "/etc/zshrc", "/etc/zsh/zshrc"],
            "/etc/profile.d",
        ),
        Shell::Fish => (&["/etc/fish/config.fish"], "/etc/fish/conf.d"),
        Shell::Tcsh => (&["/etc/csh.cshrc", "/etc/csh.login"], "/etc/profile.d"),
        Shell::Cmd | Shell::PowerShell => (&[], ""),
    };
    let mut files: Vec<PathBuf> = files.iter().map(PathBuf::from).collect();
    files.extend(files_in(Path::new(folder)));
    files
}

/// macOS's lists of folders below `root`, in order; none where the system has none.
#[must_use]
pub fn macos_path_lists(root: &Path) -> Vec<PathBuf> {
    let main = root.join("etc/paths");
    if !main.is_file() {
        return Vec::new();
    }
    let mut lists = vec![main];
    lists.extend(files_in(&root.join("etc/paths.d")));
    lists
}

/// PATH as macOS's helper makes it at login from the lists below `root`: the lines of `/etc/paths`, then those of the
/// files in `/etc/paths.d` by name, then what PATH held beside them, each folder once (path_helper(8)). So whatever a
/// session or `.zshenv` had put in front ends up behind the system's folders.
#[must_use]
pub fn macos_login_path(root: &Path, path: &std::ffi::OsStr) -> OsString {
    let lines = macos_path_lists(root).into_iter().filter_map(|list| fs::read_to_string(list).ok());
    let mut entries: Vec<OsString> = Vec::new();
    let mut add = |entry: OsString| {
        if !entry.is_empty() && !entries.contains(&entry) {
            entries.push(entry);
        }
    };
    lines.for_each(|text| text.lines().for_each(|line| add(line.into())));
    PathList::parse(path).entries().for_each(|entry| add(entry.raw.clone()));
    entries.join(std::ffi::OsStr::new(":"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_systems_lists_come_first() {
        let root = tempfile::tempdir().unwrap();
        fs::create_dir_all(root.path().join("etc/paths.d")).unwrap();
        fs::write(root.path().join("etc/paths"), "/usr/local/bin\n/usr/bin\n/bin\n").unwrap();
        fs::write(root.path().join("etc/paths.d/20-tide"), "/opt/tide/bin").unwrap();
        fs::write(root.path().join("etc/paths.d/10-ebb"), "/opt/ebb/bin\n\n/bin\n").unwrap();
        let path = macos_login_path(root.path(), "/h/own:/usr/bin:/h/own:".as_ref());
        assert_eq!(path, "/usr/local/bin:/usr/bin:/bin:/opt/ebb/bin:/opt/tide/bin:/h/own");
        assert_eq!(macos_login_path(Path::new("/nowhere"), "/a:/b:/a".as_ref()), "/a:/b");
        let lists = macos_path_lists(root.path());
        assert!(lists.len() == 3 && lists[1].ends_with("10-ebb") && macos_path_lists(Path::new("/nowhere")).is_empty());
    }
}
