//! Which startup files carry our block, and why. This is the one place for the shells' rules on that.

use std::path::{Path, PathBuf};

use super::startup_file::{Dialect, StartupFile, StartupFolders};
use super::system_files::{system_startup_files, system_targets};
use crate::resolve::Shell;

/// The startup files that make a new interactive login shell, a new interactive shell, and `SHELL -lc` of each of
/// `shells` read our block. `readable` says whether a file exists and can be read.
///
/// - The plain shell reads `~/.profile` as a login shell (POSIX leaves it open; dash(1) "Invocation"). As an
///   interactive one it reads the file that `ENV` names, which gets the block where there is one.
/// - bash as a login shell reads the *first* readable one of `~/.bash_profile`, `~/.bash_login`, `~/.profile`, and as
///   an interactive one `~/.bashrc` (bash(1), "INVOCATION"). A new `~/.bash_profile` would hide an existing
///   `~/.profile`, so the one that counts is used, and `~/.profile` made where there is none of the three.
/// - zsh reads `.zprofile` and later `.zlogin` as a login shell, and `.zshrc` in between as an interactive one
///   (zsh(1), "STARTUP/SHUTDOWN FILES"), all in `ZDOTDIR` or the home. `.zlogin` has the last word, so it gets the
///   block too where it exists; `.zprofile` in any case, since `.zlogin` is where a session is often started.
/// - fish reads `config.fish` whatever way it is started (fish, "Configuration files").
///
/// - The Korn shell reads `~/.profile` as a login shell, and as an interactive one the file that `ENV` names, which is
///   `~/.kshrc` unless somebody set it (ksh(1), "Invocation").
/// - tcsh reads `~/.tcshrc`, or `~/.cshrc` where there is none, whatever way it is started, and later `~/.login` as a
///   login shell (tcsh(1), "Startup and shutdown"). A new `~/.tcshrc` would hide a `~/.cshrc` of later, so that is made.
///
/// The block stands at the end, after everything that could put another folder before ours.
pub fn startup_files(shells: &[Shell], folders: &StartupFolders, readable: &dyn Fn(&Path) -> bool) -> Vec<StartupFile> {
    if let Some(root) = &folders.system {
        return system_targets(shells, root, readable);
    }
    let mut files: Vec<StartupFile> = Vec::new();
    let mut add = |path: PathBuf, dialect| {
        let file = StartupFile { path, dialect };
        if !files.contains(&file) {
            files.push(file);
        }
    };
    let profile = folders.home.join(".profile");
    for shell in shells {
        match shell {
            // Windows shells read no file of ours: the registry gives them their PATH.
            Shell::Cmd | Shell::PowerShell | Shell::Pwsh => {}
            Shell::Sh => {
                add(profile.clone(), Dialect::Posix);
                if let Some(file) = folders.sh_env.as_ref().filter(|f| readable(f)) {
                    add(file.clone(), Dialect::Posix);
                }
            }
            Shell::Bash => {
                let login = [".bash_profile", ".bash_login"].map(|name| folders.home.join(name));
                let login = login.into_iter().find(|f| readable(f)).unwrap_or_else(|| profile.clone());
                add(login, Dialect::Posix);
                add(folders.home.join(".bashrc"), Dialect::Posix);
            }
            Shell::Zsh => {
                for folder in &folders.zsh {
                    add(folder.join(".zprofile"), Dialect::Posix);
                    add(folder.join(".zshrc"), Dialect::Posix);
                    let last = folder.join(".zlogin");
                    if readable(&last) {
                        add(last, Dialect::Posix);
                    }
                }
            }
            Shell::Fish => {
                for folder in &folders.fish {
                    add(folder.join("config.fish"), Dialect::Fish);
                }
            }
            Shell::Ksh => {
                add(profile.clone(), Dialect::Posix);
                add(folders.home.join(".kshrc"), Dialect::Posix);
                if let Some(file) = folders.sh_env.as_ref().filter(|f| readable(f)) {
                    add(file.clone(), Dialect::Posix);
                }
            }
            Shell::Tcsh => {
                let own = folders.home.join(".tcshrc");
                add(if readable(&own) { own } else { folders.home.join(".cshrc") }, Dialect::Csh);
                let last = folders.home.join(".login");
                if readable(&last) {
                    add(last, Dialect::Csh);
                }
            }
        }
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
