//! The startup files of the system, which shells read for every user, and macOS's lists of folders.

use std::ffi::OsString;
use std::fs;
use std::path::{Path, PathBuf};

use crate::folders::files_in;
use crate::path_list::PathList;
use crate::resolve::Shell;
use crate::shells::{Readable, StartupFile, unix_rules};

/// The system's startup files that a shell may read, in order: those that its manual page names, and the folders that
/// systems have them read.
pub fn system_startup_files(shell: Shell) -> Vec<PathBuf> {
    let (files, folder) = unix_rules(shell).map_or((&[][..], ""), |rules| rules.system_files);
    let mut files: Vec<PathBuf> = files.iter().map(PathBuf::from).collect();
    files.extend(files_in(Path::new(folder)));
    files
}

/// The files of the system below `root` that make new terminals of every user read our block. Where the system has a
/// folder of files that are read one after the other, ours is one more, and the last by its name; elsewhere the block
/// goes into the file that the shell reads.
///
/// - Login shells of the POSIX kind read `/etc/profile`, which on most systems reads `/etc/profile.d` (bash(1),
///   "INVOCATION"; dash(1)); an interactive bash reads `/etc/bash.bashrc` or `/etc/bashrc` where it was built so, and an
///   interactive Korn shell `/etc/ksh.kshrc` (ksh(1), "Invocation").
/// - zsh reads `zprofile` and `zshrc` in `/etc/zsh`, or in `/etc` where there is no such folder (zsh(1)).
/// - fish reads `/etc/fish/conf.d` (fish, "Configuration files"), tcsh `/etc/csh.cshrc` (tcsh(1)).
pub(super) fn system_targets(shells: &[Shell], root: &Path, readable: Readable<'_>) -> Vec<StartupFile> {
    let etc = root.join("etc");
    let mut files: Vec<StartupFile> = Vec::new();
    let folder = etc.join("profile.d");
    let profile = if folder.is_dir() { folder.join("zz-wagon-yard.sh") } else { etc.join("profile") };
    for rules in shells.iter().filter_map(|shell| unix_rules(*shell)) {
        let of_shell = (rules.system_targets)(&etc, &profile, readable).into_iter();
        let of_shell = of_shell.map(|path| StartupFile { path, dialect: rules.dialect });
        files.extend(of_shell.filter(|file| !files.contains(file)).collect::<Vec<_>>());
    }
    files
}

/// macOS's lists of folders below `root`, in order; none where the system has none.
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
    fn the_files_of_the_system_are_chosen_by_what_is_there() {
        let root = tempfile::tempdir().unwrap();
        let chosen = || -> Vec<String> {
            let files = system_targets(&Shell::ALL, root.path(), &Path::is_file);
            let below =
                |file: StartupFile| file.path.strip_prefix(root.path()).unwrap().to_string_lossy().replace('\\', "/");
            files.into_iter().map(below).collect()
        };
        let bare = ["profile", "zprofile", "zshrc", "fish/conf.d/zz-wagon-yard.fish", "ksh.kshrc", "csh.cshrc"];
        assert_eq!(chosen(), bare.map(|name| format!("etc/{name}")));
        for folder in ["profile.d", "zsh"] {
            fs::create_dir_all(root.path().join("etc").join(folder)).unwrap();
        }
        fs::write(root.path().join("etc/bash.bashrc"), "").unwrap();
        let usual = [
            "profile.d/zz-wagon-yard.sh",
            "bash.bashrc",
            "zsh/zprofile",
            "zsh/zshrc",
            "fish/conf.d/zz-wagon-yard.fish",
            "ksh.kshrc",
            "csh.cshrc",
        ];
        assert_eq!(chosen(), usual.map(|name| format!("etc/{name}")));
    }

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
