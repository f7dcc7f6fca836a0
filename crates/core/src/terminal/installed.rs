//! Which shells are installed.

use std::path::{Path, PathBuf};

use super::windows;
use crate::finding::{Code, Finding};
use crate::machine::Machine;
use crate::os;
use crate::path_list;
use crate::registry;
use crate::resolve::{Disk, FileKind, FileView, LookupContext, Shell};
use crate::shells::unix_rules;
use crate::system::System;
use crate::yard::{Settings, Yard};

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InstalledShell {
    pub shell: Shell,
    pub program: PathBuf,
}

/// Folders in which systems put shells; those elsewhere are named in `/etc/shells`.
const FOLDERS: [&str; 3] = ["/bin", "/usr/bin", "/usr/local/bin"];

/// The user's shells: the one that they log in to, the plain shell, and those whose startup files are in the home. Where it is
/// not known what they log in to, bash counts as well, and where it is everybody's terminals, all do.
pub fn of_user(machine: &Machine) -> Vec<Shell> {
    if machine.system() == System::Windows || machine.is_for_everybody() {
        return Shell::ALL.to_vec();
    }
    let own = login_shell(machine).and_then(|program| kind(&program)).unwrap_or(Shell::Bash);
    // Whoever changed it still has the other one in this session; the next login takes the one on record (chsh(1)).
    let on_record = os::shell_on_record().filter(|_| machine.sandbox.is_none()).and_then(|program| kind(&program));
    let is_used = |shell: &Shell| {
        *shell == Shell::Sh || *shell == own || Some(*shell) == on_record || has_startup_file(*shell, machine)
    };
    Shell::ALL.into_iter().filter(is_used).collect()
}

/// Whether a startup file of this shell alone is in the home: its links may lead nowhere.
fn has_startup_file(shell: Shell, machine: &Machine) -> bool {
    let Some(rules) = unix_rules(shell) else { return false };
    let folder = (rules.settings)(&machine.home, &machine.environment);
    rules.signs.iter().any(|sign| match sign.strip_suffix("/*") {
        Some(parts) => std::fs::read_dir(folder.join(parts)).is_ok_and(|mut entries| entries.next().is_some()),
        None => std::fs::symlink_metadata(folder.join(sign)).is_ok(),
    })
}

/// Tells of shells that are installed and not the user's: nothing is registered for them.
pub fn unused_shells(machine: &Machine, used: &[Shell]) -> Option<Finding> {
    let others: Vec<Shell> = Shell::ALL.into_iter().filter(|shell| !used.contains(shell)).collect();
    let others: Vec<&str> = installed(machine, &others).into_iter().map(|found| found.shell.name()).collect();
    if others.is_empty() {
        return None;
    }
    let seen = format!("installed but not used: {}; not registered there", others.join(", "));
    let remedy = format!("to include one: wyard register NAME --shells {}", others[0]);
    Some(Finding::new(Code::ShellNotUsed, seen).remedy(remedy))
}

/// Finds the installed shells of this system among the wanted ones. On Unix: the one that the user logs in to, those in
/// the usual folders, and those named in `/etc/shells` (shells(5)), the first of each kind. On Windows: those in the
/// system's own folders.
pub fn installed(machine: &Machine, wanted: &[Shell]) -> Vec<InstalledShell> {
    let own = login_shell(machine);
    let listed = std::fs::read_to_string(os::system_root().join("etc/shells")).unwrap_or_default();
    let listed: Vec<PathBuf> = listed.lines().filter(|l| l.starts_with('/')).map(|l| PathBuf::from(l.trim())).collect();
    let find = |shell: &Shell| {
        if shell.system() != machine.system() {
            return None;
        }
        if shell.system() == System::Windows {
            // A variable of the user's own may have one of these names.
            let named = ["SystemRoot", "windir"].into_iter().filter_map(|name| machine.environment.get(name));
            let roots = named.map(PathBuf::from).chain(["C:\\Windows".into()]).map(|root| root.join("System32"));
            let system = roots.into_iter().find(|system| system.join("cmd.exe").is_file())?;
            let program = match shell {
                // Wine's is a stand-in that answers nothing.
                Shell::PowerShell if os::is_wine() => return None,
                Shell::PowerShell => system.join("WindowsPowerShell").join("v1.0").join("powershell.exe"),
                Shell::Pwsh => pwsh(machine)?,
                Shell::Cmd => system.join("cmd.exe"),
                Shell::Sh | Shell::Bash | Shell::Zsh | Shell::Fish | Shell::Ksh | Shell::Tcsh => return None,
            };
            return program.is_file().then_some(InstalledShell { shell: *shell, program });
        }
        let usual = FOLDERS.iter().map(|folder| PathBuf::from(folder).join(shell.name()));
        let named = listed.iter().filter(|path| path.file_name().is_some_and(|n| n == shell.name())).cloned();
        let own = own.iter().filter(|own| kind(own) == Some(*shell)).cloned();
        let program = own.chain(usual).chain(named).find(|path| Disk.look(path) == FileKind::Program)?;
        Some(InstalledShell { shell: *shell, program })
    };
    wanted.iter().filter_map(find).collect()
}

/// Where PowerShell 6 or later is: at the place registered for its name, in its usual folder, or in PATH.
fn pwsh(machine: &Machine) -> Option<PathBuf> {
    let file = format!("{}.exe", Shell::Pwsh.name());
    let environment = windows::environment(machine);
    let value_of = |name: &str| environment.get(name).map(|value| value.to_string_lossy().into_owned());
    let registered = registry::app_path(&file, &|text| {
        path_list::windows::expand(text, &value_of, path_list::windows::Unknown::MayOpenNext)
    });
    let usual = ["ProgramW6432", "ProgramFiles"].into_iter().filter_map(|name| machine.environment.folder(name));
    // Each release lies in a folder named by its first number.
    let releases = usual.map(|folder| folder.join("PowerShell")).filter_map(|folder| std::fs::read_dir(folder).ok());
    let mut releases: Vec<PathBuf> = releases.flatten().flatten().map(|entry| entry.path().join(&file)).collect();
    releases.sort();
    let in_path = LookupContext::of(&environment, &machine.home).folders();
    let in_path = in_path.into_iter().map(|folder| folder.join(&file));
    registered.into_iter().chain(releases.into_iter().rev()).chain(in_path).find(|program| program.is_file())
}

/// The shell that the user logs in to: `SHELL` (environ(7)), or else what is on record for them (passwd(5)).
fn login_shell(machine: &Machine) -> Option<PathBuf> {
    if machine.system() == System::Windows {
        return None;
    }
    let told = machine.environment.get("SHELL").map(PathBuf::from);
    told.or_else(os::shell_on_record).filter(|shell| shell.is_absolute())
}

pub fn login_shell_among(machine: &Machine, shells: &[InstalledShell]) -> Option<Shell> {
    let own = kind(&login_shell(machine)?)?;
    shells.iter().map(|found| found.shell).find(|shell| *shell == own)
}

/// What shell a program is, by its own name or that of the file its links lead to, without a version behind it. A
/// restricted one is none: it does not do what a question needs (bash(1), "RESTRICTED SHELL").
fn kind(program: &Path) -> Option<Shell> {
    if program.ends_with("rbash") {
        return None;
    }
    let named = |program: &Path| {
        let name = program.file_name()?.to_str()?;
        match name.trim_end_matches(|c: char| c.is_ascii_digit() || c == '.' || c == '-') {
            "sh" | "dash" | "ash" => Some(Shell::Sh),
            name => Shell::ALL.into_iter().find(|shell| shell.system() == System::Unix && shell.name() == name),
        }
    };
    named(program).or_else(|| named(&program.canonicalize().ok()?))
}

/// What those log in to who are to open no terminal (nologin(8), false(1)).
const CLOSED: [&str; 3] = ["nologin", "false", "true"];

/// Tells where the user's own shell is none that can be asked, and nobody has said that others count: what a terminal of
/// theirs finds is then not known.
pub fn unknown_login_shell(machine: &Machine, settings: &Settings) -> Option<Finding> {
    let shell = login_shell(machine).filter(|_| settings.shells.is_none() && !machine.is_for_everybody())?;
    let closed = CLOSED.iter().any(|name| shell.file_name().is_some_and(|file| file == *name));
    if closed || kind(&shell).is_some() {
        return None;
    }
    let seen = format!("your login shell {} is not supported", shell.display());
    let remedy = format!(
        "check it by hand, or list the shells you use in {}: shells = [\"bash\"]",
        Yard::at(&machine.yard).settings_file().display()
    );
    Some(Finding::new(Code::ShellUnknown, seen).remedy(remedy))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_shell_is_known_by_its_name() {
        for (program, shell) in [
            ("/bin/dash", Some(Shell::Sh)),
            ("/bin/ash", Some(Shell::Sh)),
            ("/opt/x/bin/bash-5.2", Some(Shell::Bash)),
            ("/usr/bin/zsh5", Some(Shell::Zsh)),
            ("/usr/bin/ksh93", Some(Shell::Ksh)),
            ("/usr/local/bin/fish", Some(Shell::Fish)),
            ("/bin/rbash", None),
            ("/nowhere/csh", None),
            ("/nowhere/shoalsh", None),
            ("/nowhere/cmd", None),
        ] {
            assert_eq!(kind(Path::new(program)), shell, "{program}");
        }
    }
}
