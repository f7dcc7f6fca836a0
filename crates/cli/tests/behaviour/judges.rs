//! Real shells as judges of what we believe about them.

use std::collections::BTreeSet;
use std::process::Command;

use wagon_yard_core::resolve::{Caller, Shell, builtin};

use crate::home::have;

#[test]
#[cfg_attr(windows, ignore = "the shells are those of Unix")]
fn the_lists_of_builtins_are_those_of_the_shells() {
    let cases = [
        (Caller::Shell(Shell::Bash), "bash", "{ enable | sed 's/^enable //'; compgen -k; } | sort -u"),
        (Caller::Shell(Shell::Zsh), "zsh", "print -l ${(k)builtins} ${(k)reswords}"),
        (Caller::Shell(Shell::Fish), "fish", "builtin -n"),
    ];
    for (caller, shell, line) in cases {
        if !have(shell) {
            continue;
        }
        let output = Command::new(shell).args(["-c", line]).env_clear().env("PATH", "/usr/bin:/bin").output().unwrap();
        let text = String::from_utf8(output.stdout).unwrap();
        let unknown: BTreeSet<&str> = text.split_whitespace().filter(|w| !builtin(caller, w) && !is_inner(w)).collect();
        assert!(unknown.is_empty(), "{shell} answers to these itself: {unknown:?}");
    }
}

/// Parts of zsh's completion system, there only once it is loaded.
fn is_inner(word: &str) -> bool {
    word.starts_with("comp") || word.starts_with("zsh")
}
