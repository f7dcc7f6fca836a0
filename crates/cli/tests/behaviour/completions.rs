//! What a shell is told when somebody asks it to complete a word.

use std::path::Path;
use std::process::Command;

use crate::archives::tidelog;
use crate::home::{Home, Ran, have};

#[test]
fn words_of_the_yard_are_completed() {
    let home = Home::new();
    for version in ["4.1.0", "4.2.1"] {
        home.wyard(&["receive", &tidelog(&home, version)]).ends(0);
    }
    // As the script for fish asks: one candidate a line, with what it is behind a tab.
    let asks = |line: &[&str]| {
        let mut command = home.command(&[&["--", "wyard"], line].concat());
        command.env("WYARD_COMPLETE", "fish");
        let ran = Ran::from(command.output().unwrap()).ends(0);
        ran.out.lines().filter(|line| !line.starts_with('-')).collect::<Vec<_>>().join("\n")
    };
    for (line, answer) in [
        (&["chec"][..], "check\tVerify that received tools work in every new terminal"),
        (&["check", "t"], "tidelog\t4.1.0, 4.2.1\ntidelog@4.1.0\tthis version\ntidelog@4.2.1\tthis version"),
        (&["switch", "tidelog", ""], "4.1.0\ttidelog, not in use\n4.2.1\ttidelog, in use"),
        (&["switch", "shoal", ""], ""),
        (&["undo", ""], "2\treceive tidelog 4.2.1\n1\treceive tidelog 4.1.0"),
        (&["trace", "ti"], "tidelog\ttidelog"),
        (
            &["explain", "home-variable-in"],
            "home-variable-in-bin\tA home variable points to a bin folder; tools expect bin, lib and conf inside it.",
        ),
        (&["catch-up", "b"], "bash"),
        (&["completions", "z"], "zsh"),
    ] {
        assert_eq!(asks(line), answer, "{line:?}");
    }
}

#[test]
fn the_scripts_are_what_their_shells_read() {
    let home = Home::new();
    let words = "eval \"$(wyard completions bash)\"; COMP_WORDS=(wyard explain shadowe); COMP_CWORD=2; \
                 $(complete -p wyard | sed 's/.*-F \\([^ ]*\\).*/\\1/') wyard shadowe explain; echo \"${COMPREPLY[*]}\"";
    let fish = "wyard completions fish | source; complete -C 'wyard explain shadowe' | string split -f 1 \\t";
    let zsh = "autoload -U compinit; compinit -D; source <(wyard completions zsh); echo ${+_comps[wyard]}";
    for (shell, arguments, answer) in [
        ("bash", &["--norc", "-c", words][..], "shadowed"),
        ("fish", &["--no-config", "-c", fish], "shadowed"),
        ("zsh", &["-f", "-c", zsh], "1"),
    ] {
        if !have(shell) {
            continue;
        }
        let folder = Path::new(env!("CARGO_BIN_EXE_wyard")).parent().unwrap();
        let mut command = Command::new(shell);
        command.args(arguments).env_clear().env("HOME", home.path("home"));
        command.env("PATH", format!("{}:/usr/bin:/bin", folder.display()));
        assert_eq!(Ran::from(command.output().unwrap()).ends(0).out.trim(), answer, "{shell}");
    }
}
