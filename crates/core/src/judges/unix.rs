//! Shells of Unix and execvp(3), asked what a name runs and what it could mean.

use std::fs;
use std::path::Path;
use std::process::Command;
use std::time::Duration;

use super::answer::{Answer, ONE, ending};
use super::machines::MadeMachine;
use crate::process::{self, Ending};
use crate::progress::Stop;
use crate::quote;
use crate::resolve::Shell;
use crate::terminal::InstalledShell;

/// The lines that ask a shell about one machine: it lists what the name could mean, then runs it, each ended by a
/// zero byte. A name that has run is remembered, and bash lists no other then.
fn question(shell: Shell, machine: &MadeMachine) -> String {
    let text = |word: &str| {
        let quoted = match shell {
            Shell::Fish => quote::fish(word.as_bytes()),
            Shell::Tcsh => quote::csh(word.as_bytes()),
            Shell::Sh | Shell::Bash | Shell::Zsh | Shell::Ksh | Shell::Cmd | Shell::PowerShell | Shell::Pwsh => {
                quote::posix(word.as_bytes())
            }
        };
        String::from_utf8_lossy(&quoted).into_owned()
    };
    let (folder, path, name) = (text(&machine.current.to_string_lossy()), text(&machine.path), text(&machine.name));
    let (set, list) = match shell {
        Shell::Bash => (format!("PATH={path}"), format!("\"$(type -aP -- {name})\"")),
        Shell::Zsh => (format!("PATH={path}"), format!("\"$(whence -pa -- {name})\"")),
        Shell::Ksh => (format!("PATH={path}"), format!("\"$(whence -ap -- {name})\"")),
        Shell::Fish => {
            let list: Vec<String> = machine.path.split(':').map(text).collect();
            let list = if machine.path.is_empty() { String::new() } else { list.join(" ") };
            return format!(
                "cd {folder}; set PATH {list}\ncommand -as -- {name}; printf '\\0'\n{name}; printf '\\0'\n"
            );
        }
        Shell::Tcsh => {
            let print = "/usr/bin/printf '\\0'";
            return format!("cd {folder}; setenv PATH {path}\nwhere {name}\n{print}\n{name}\n{print}\n");
        }
        Shell::Sh | Shell::Cmd | Shell::PowerShell | Shell::Pwsh => (format!("PATH={path}"), "''".to_owned()),
    };
    format!("cd {folder}; {set}\nprintf '%s\\0' {list}\n{name}; printf '\\0'\n")
}

/// Whether what a shell lists is what it would run. The plain shell lists nothing; tcsh refuses to list a name with a folder in
/// it, and zsh searches PATH for it all the same, which it does not when it runs it. bash and tcsh leave out some files behind
/// relative entries, and tcsh reads `~`, only when they list. ksh quotes what it lists.
fn lists(shell: Shell, machine: &MadeMachine, listed: &str) -> bool {
    let is_name = !machine.name.contains('/');
    let is_absolute = machine.path.split(':').all(|entry| entry.starts_with('/'));
    match shell {
        Shell::Sh => false,
        Shell::Zsh => is_name && !machine.path.is_empty(),
        Shell::Bash => is_absolute,
        Shell::Tcsh => is_name && is_absolute,
        Shell::Ksh => !listed.contains('\''),
        Shell::Fish | Shell::Cmd | Shell::PowerShell | Shell::Pwsh => true,
    }
}

pub(super) fn ask(
    shell: &InstalledShell,
    home: &Path,
    machines: &[MadeMachine],
    limit: Duration,
    stop: &Stop,
) -> Result<Vec<Option<Answer>>, String> {
    let kind = shell.shell;
    let script = home.join(format!("{}.script", kind.name()));
    let text: String = machines.iter().map(|machine| question(kind, machine)).collect();
    fs::write(&script, text).map_err(|e| e.to_string())?;
    let mut command = Command::new(&shell.program);
    match kind {
        Shell::Bash => command.args(["--norc", "--noprofile"]),
        Shell::Zsh | Shell::Tcsh => command.arg("-f"),
        Shell::Fish => command.arg("--no-config"),
        Shell::Sh | Shell::Ksh | Shell::Cmd | Shell::PowerShell | Shell::Pwsh => &mut command,
    };
    command.arg(&script).env_clear().env("HOME", home).env("LANG", "C.UTF-8").env("PATH", "/usr/bin:/bin");
    let outcome = process::run(command, limit, stop);
    let said = String::from_utf8_lossy(&outcome.stdout);
    let fields: Vec<&str> = said.split('\0').collect();
    if fields.len() != machines.len() * 2 + 1 {
        return Err(format!("{} answers to {} questions ({})", fields.len() / 2, machines.len(), ending(&outcome)));
    }
    let answer = |(pair, machine): (&[&str], &MadeMachine)| {
        let listed = lists(kind, machine, pair[0]).then(|| pair[0].lines().map(str::to_owned).collect());
        Some(Answer { ran: pair[1].to_owned(), listed })
    };
    Ok(fields.chunks_exact(2).zip(machines).map(answer).collect())
}

/// A program that starts another through execvp(3): `env` sets the variable and then searches it, with what the C library
/// has for that.
pub(super) fn execute(home: &Path, machines: &[MadeMachine], stop: &Stop) -> Vec<Option<Answer>> {
    let run = |machine: &MadeMachine| {
        let mut command = Command::new("/usr/bin/env");
        command.arg(format!("PATH={}", machine.path)).arg(&machine.name).current_dir(&machine.current);
        command.env_clear().env("HOME", home);
        let outcome = process::run(command, ONE, stop);
        let ran = String::from_utf8_lossy(&outcome.stdout).into_owned();
        matches!(outcome.ending, Ending::Exited(_)).then_some(Answer { ran, listed: None })
    };
    machines.iter().map(run).collect()
}
