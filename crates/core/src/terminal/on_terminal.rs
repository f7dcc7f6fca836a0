//! Startup files that ask whether they are at a terminal: such a shell is asked at one.
//!
//! Others are not, since there is no need, and a file that finds a terminal may do things with it that nobody wants done
//! for a question.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::machine::{Environment, variable};
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

/// Whether a startup file of this shell asks for a terminal.
pub(super) fn matters(shell: Shell, base: &Environment, home: &Path) -> bool {
    let set = |name: &str, usual: PathBuf| variable(base, name).map_or(usual, PathBuf::from);
    let fish = set("XDG_CONFIG_HOME", home.join(".config")).join("fish");
    let mut files = system_startup_files(shell);
    let folders = StartupFolders {
        home: home.to_owned(),
        zsh: vec![set("ZDOTDIR", home.to_owned())],
        fish: vec![fish],
        sh_env: variable(base, "ENV").map(PathBuf::from),
        system: None,
    };
    files.extend(files_of_others(&folders));
    files.extend(possible_files(&folders).into_iter().map(|file| file.path));
    files.iter().any(|file| fs::read(file).is_ok_and(|text| asks(&String::from_utf8_lossy(&text))))
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
