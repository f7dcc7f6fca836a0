//! What a shell is told when somebody asks it to complete a word.

use std::path::Path;
use std::process::Command;

use crate::archives::{script, tidelog, zip};
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

/// A tool that completes its command by words of its own, and would complete others' and more than a name.
fn completed(home: &Home) -> String {
    let file = home.path("tidelog-4.2.1.zip");
    let bash = "complete -W 'ebb flood' tidelog\n";
    let zsh = "#compdef tidelog\n_tidelog() { compadd ebb flood }\n_tidelog \"$@\"\n";
    let fish = "complete -c tidelog -f -a 'ebb flood'\n";
    let bad = "touch \"$HOME/touched\"\n";
    zip(
        &file,
        &[
            ("tidelog-4.2.1/bin/tidelog", script("4.2.1").as_str(), 0o755),
            ("tidelog-4.2.1/bin/t$(touch x)", script("4.2.1").as_str(), 0o755),
            ("tidelog-4.2.1/share/bash-completion/completions/tidelog", bash, 0o644),
            ("tidelog-4.2.1/share/bash-completion/completions/ls", bad, 0o644),
            ("tidelog-4.2.1/share/bash-completion/completions/t$(touch x)", bad, 0o644),
            ("tidelog-4.2.1/share/zsh/site-functions/_tidelog", zsh, 0o644),
            ("tidelog-4.2.1/share/zsh/site-functions/_ls", bad, 0o644),
            ("tidelog-4.2.1/share/fish/vendor_completions.d/tidelog.fish", fish, 0o644),
        ],
    );
    file.to_str().unwrap().to_owned()
}

#[test]
fn completions_that_a_tool_brings_are_offered() {
    let shells: Vec<&str> = ["bash", "zsh", "fish"].into_iter().filter(|shell| have(shell)).collect();
    let home = Home::with(&[&["dash"][..], &shells].concat());
    // As people have it: completion is set up before our block.
    home.write("home/.zshrc", "autoload -Uz compinit && compinit -u -D\n");
    let before = home.files();
    home.wyard(&["receive", &completed(&home), "--quiet"]).ends(0);
    // What each shell completes by, asked as its own completion does; and again in a terminal out of a terminal.
    let bash = "_wyard_complete tidelog; echo \"$? $(complete -p tidelog) $(complete -p ls 2>/dev/null)\"";
    let asked = [
        ("bash", bash.to_owned(), "124 complete -W 'ebb flood' tidelog "),
        ("bash", format!("bash -ic '{bash}'"), "124 complete -W 'ebb flood' tidelog "),
        (
            "zsh",
            "echo $_comps[tidelog] $_comps[ls]; autoload +X _tidelog && echo loaded".to_owned(),
            "_tidelog _ls\nloaded",
        ),
        ("fish", "complete -C 'tidelog '".to_owned(), "ebb\nflood"),
    ];
    for (shell, line, expected) in &asked {
        if shells.contains(shell) {
            assert_eq!(home.terminal(shell, "-ic", line).trim_end(), expected.trim_end(), "{shell}");
        }
    }
    assert!(!home.path("home/touched").exists());
    // Completions that are there already stay.
    if shells.contains(&"bash") {
        let rc = std::fs::read_to_string(home.path("home/.bashrc")).unwrap();
        home.write("home/.bashrc", format!("complete -W mine tidelog\n{rc}"));
        assert_eq!(home.terminal("bash", "-ic", "complete -p tidelog"), "complete -W 'mine' tidelog\n");
        home.write("home/.bashrc", rc);
    }
    home.wyard(&["unregister", "tidelog"]).ends(0);
    if shells.contains(&"fish") {
        assert_eq!(home.terminal("fish", "-ic", "complete -C 'tidelog ' | string match ebb"), "");
    }
    home.wyard(&["undo"]).ends(0);
    home.wyard(&["undo"]).ends(0);
    let kept = |files: &std::collections::BTreeMap<std::path::PathBuf, Vec<u8>>| {
        files.keys().filter(|file| !file.to_string_lossy().contains(".local")).cloned().collect::<Vec<_>>()
    };
    assert_eq!(kept(&home.files()), kept(&before));
}
