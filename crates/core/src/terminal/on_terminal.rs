//! Startup files that ask whether they are at a terminal, or whether there is a prompt: such a shell is asked once more,
//! at one, or with one.
//!
//! Others are not, since there is no need, and a file that finds a terminal may do things with it that nobody wants done
//! for a question.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use super::at_prompt::NOWHERE;
use super::shells::InstalledShell;
use super::start_mode::StartMode;
use crate::environment::Environment;
use crate::os;
use crate::resolve::Shell;
use crate::store::{StartupFolders, files_of_others, possible_files, system_startup_files};

/// What programs that share a terminal out set in the terminals they make. Startup files that start one look for these,
/// and do not start another.
const SHARED: [(&str, &str); 3] = [("TMUX", "none,0,0"), ("STY", "none"), ("ZELLIJ", "0")];

/// The command as it is to be run at a terminal.
pub(super) fn prepared(mut command: Command) -> Command {
    command.envs(SHARED);
    command
}

/// Where a shell is asked once more.
pub(super) enum AskedAt {
    /// At a terminal.
    Terminal,
    /// Where it prompts for each line and reads it: tcsh has the variable `prompt` only there, and not for a command
    /// (tcsh(1), "Special shell variables"), so that files ask for that.
    Prompt,
}

/// Where the startup files of this shell want it asked once more, if anywhere.
pub(super) fn wanted(shell: Shell, base: &Environment, home: &Path) -> Option<AskedAt> {
    let set = |name: &str, usual: PathBuf| base.get(name).map_or(usual, PathBuf::from);
    let folders = StartupFolders {
        home: home.to_owned(),
        zsh: vec![set("ZDOTDIR", home.to_owned())],
        fish: vec![set("XDG_CONFIG_HOME", home.join(".config")).join("fish")],
        sh_env: base.get("ENV").map(PathBuf::from),
        system: None,
    };
    let text = |file: PathBuf| Some(String::from_utf8_lossy(&fs::read(file).ok()?).into_owned());
    let mut files = files_of_others(&folders);
    files.extend(possible_files(&folders).into_iter().map(|file| file.path));
    let own: Vec<String> = files.into_iter().filter_map(text).collect();
    // The system's own files ask for the prompt on every machine, and only to set keys.
    if shell == Shell::Tcsh && own.iter().any(|text| text.contains("$?prompt")) {
        return Some(AskedAt::Prompt);
    }
    let mut all = own.into_iter().chain(system_startup_files(shell).into_iter().filter_map(text));
    all.any(|text| asks(&text)).then_some(AskedAt::Terminal)
}

/// A tcsh that prompts for what it reads.
pub(super) fn reading(shell: &InstalledShell, mode: StartMode) -> Command {
    let mut command = Command::new(&shell.program);
    if mode == StartMode::Login {
        os::set_called_name(&mut command, "-tcsh");
    }
    command.arg("-i");
    command
}

/// What it reads: it runs its hooks by itself, and is not to do what it does at its end, such as to save its history.
pub(super) fn fed(question: &str) -> String {
    format!("unset savehist; set histfile = {NOWHERE}\n{question}; exec /bin/sh -c :\n")
}

/// Whether a line of a startup file asks: `test -t` (POSIX.1-2017, test), `tty` (POSIX.1-2017, tty), fish's `isatty`, or
/// the variable in which zsh and tcsh keep the terminal's name.
fn asks(text: &str) -> bool {
    let code = text.lines().filter(|line| !line.trim_start().starts_with('#'));
    code.into_iter().any(|line| {
        let ends = |c: char| !(c.is_alphanumeric() || c == '-' || c == '_');
        let words: Vec<&str> = line.split(ends).filter(|word| !word.is_empty()).collect();
        let tests = words.contains(&"-t") && (line.contains('[') || words.contains(&"test"));
        tests || words.iter().any(|word| matches!(*word, "tty" | "isatty" | "TTY"))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_that_asks_for_a_terminal_is_seen() {
        for line in [
            "[ -t 0 ] || return",
            "if [[ -t 1 ]]; then",
            "test ! -t 2 && x",
            "[ -t \"$fd\" ] && x",
            "tty -s || return",
            "export GPG_TTY=$(tty)",
            "isatty stdout; and x",
            "if ($?tty) then",
            "[[ -n $TTY ]]",
        ] {
            assert!(asks(line), "{line}");
        }
        for line in ["# [ -t 0 ]", "  # tty", "stty -ixon", "ls -t 10", "[ x ] && y", "pretty=1", "x -t", "PATH=/x"] {
            assert!(!asks(line), "{line}");
        }
    }
}
