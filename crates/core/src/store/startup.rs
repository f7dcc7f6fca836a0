//! Which startup files carry our block.

use std::path::{Path, PathBuf};

use super::system_files::{system_startup_files, system_targets};
use crate::resolve::Shell;
use crate::shells::{Dialect, Readable, StartupFile, StartupFolders, unix_rules};

/// The startup files that make a new interactive login shell, a new interactive shell, and `SHELL -lc` of each of
/// `shells` read our block. The block stands at the end, after everything that could put another folder before ours.
pub fn startup_files(shells: &[Shell], folders: &StartupFolders, readable: Readable<'_>) -> Vec<StartupFile> {
    if let Some(root) = &folders.system {
        return system_targets(shells, root, readable);
    }
    let mut files: Vec<StartupFile> = Vec::new();
    for rules in shells.iter().filter_map(|shell| unix_rules(*shell)) {
        let of_shell = (rules.startup_files)(folders, readable).into_iter();
        let of_shell = of_shell.map(|path| StartupFile { path, dialect: rules.dialect });
        files.extend(of_shell.filter(|file| !files.contains(file)).collect::<Vec<_>>());
    }
    files
}

/// Every file that could carry a block of ours in these folders, for taking it out again.
pub fn possible_files(folders: &StartupFolders) -> Vec<StartupFile> {
    if let Some(root) = &folders.system {
        return system_targets(&Shell::ALL, root, &Path::is_file);
    }
    let posix = |path| StartupFile { path, dialect: Dialect::Posix };
    let in_home =
        [".profile", ".bash_profile", ".bash_login", ".bashrc", ".kshrc"].map(|n| posix(folders.home.join(n)));
    let csh =
        [".tcshrc", ".cshrc", ".login"].map(|n| StartupFile { path: folders.home.join(n), dialect: Dialect::Csh });
    let in_zsh = |folder: &PathBuf| [".zprofile", ".zshrc", ".zlogin"].map(|n| posix(folder.join(n)));
    let fish = folders.fish.iter().map(|f| StartupFile { path: f.join("config.fish"), dialect: Dialect::Fish });
    let mut files: Vec<StartupFile> = in_home.into_iter().collect();
    files.extend(folders.zsh.iter().chain([&folders.home]).flat_map(in_zsh));
    files.extend(fish);
    files.extend(csh);
    files.extend(folders.sh_env.clone().map(posix));
    let mut seen = std::collections::HashSet::new();
    files.retain(|f| seen.insert(f.path.clone()));
    files
}

/// Files that shells read as well, and that never carry a block of ours: `.zshenv`, which zsh reads first of all (zsh(1),
/// "STARTUP/SHUTDOWN FILES"), and the parts of fish's configuration (fish(1), "Configuration files").
pub fn files_of_others(folders: &StartupFolders) -> Vec<PathBuf> {
    let mut files: Vec<PathBuf> =
        folders.zsh.iter().chain([&folders.home]).map(|folder| folder.join(".zshenv")).collect();
    for folder in &folders.fish {
        let parts = std::fs::read_dir(folder.join("conf.d")).into_iter().flatten().flatten();
        files.extend(parts.map(|entry| entry.path()).filter(|path| path.extension().is_some_and(|e| e == "fish")));
    }
    files
}

/// Every file that shells could read at their start: in these folders, and the system's.
pub fn all_startup_files(folders: &StartupFolders) -> Vec<PathBuf> {
    let own = possible_files(folders).into_iter().map(|file| file.path);
    let of_system = Shell::ALL.into_iter().flat_map(system_startup_files);
    own.chain(of_system).chain(files_of_others(folders)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_files_that_count_are_chosen_and_none_is_hidden() {
        use Shell::{Bash, Fish, Ksh, Sh, Tcsh, Zsh};
        type Case<'a> = (&'a [Shell], &'a [&'a str], &'a [&'a str]);
        let cases: [Case; 13] = [
            (&[Bash], &[], &["/h/.profile", "/h/.bashrc"]),
            (&[Bash], &["/h/.profile"], &["/h/.profile", "/h/.bashrc"]),
            (&[Bash], &["/h/.bash_profile", "/h/.profile"], &["/h/.bash_profile", "/h/.bashrc"]),
            (&[Bash], &["/h/.bash_login", "/h/.profile"], &["/h/.bash_login", "/h/.bashrc"]),
            (&[Sh, Bash], &["/h/.bash_profile"], &["/h/.profile", "/h/.bash_profile", "/h/.bashrc"]),
            (&[Sh], &["/h/.shrc"], &["/h/.profile", "/h/.shrc"]),
            (&[Zsh], &[], &["/z/.zprofile", "/z/.zshrc"]),
            (&[Zsh], &["/z/.zlogin"], &["/z/.zprofile", "/z/.zshrc", "/z/.zlogin"]),
            (&[Fish], &[], &["/c/fish/config.fish"]),
            (&[Ksh], &["/h/.shrc"], &["/h/.profile", "/h/.kshrc", "/h/.shrc"]),
            (&[Tcsh], &[], &["/h/.cshrc"]),
            (&[Tcsh], &["/h/.tcshrc", "/h/.cshrc", "/h/.login"], &["/h/.tcshrc", "/h/.login"]),
            (&[Tcsh], &["/h/.cshrc"], &["/h/.cshrc"]),
        ];
        let folders = StartupFolders {
            home: "/h".into(),
            zsh: vec!["/z".into()],
            fish: vec!["/c/fish".into()],
            sh_env: Some("/h/.shrc".into()),
            system: None,
        };
        for (shells, existing, expected) in cases {
            let files = startup_files(shells, &folders, &|f| existing.iter().any(|e| f == Path::new(e)));
            let paths: Vec<_> = files.iter().map(|f| f.path.to_str().unwrap().replace('\\', "/")).collect();
            assert_eq!(paths, expected, "{shells:?} {existing:?}");
            let possible = possible_files(&folders);
            assert!(files.iter().all(|f| possible.contains(f)), "everything put in can be found again");
        }
    }
}
