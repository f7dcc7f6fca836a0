//! The program as a tool that it receives itself: by a copy, by itself while it runs, and back.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::archives::zip;
use crate::home::{Home, Ran, program};

const VERSION: &str = env!("CARGO_PKG_VERSION");
/// A version with as many characters, of which a program is made by exchanging them in this one.
const NEWER: &str = "9.9.9";

/// An archive as `scripts/release` makes it, of this program with another version in it.
fn packed(home: &Home, version: &str) -> String {
    let mut bytes = fs::read(env!("CARGO_BIN_EXE_wyard")).unwrap();
    assert_eq!(version.len(), VERSION.len());
    if version != VERSION {
        let places: Vec<usize> = memchr::memmem::find_iter(&bytes, VERSION).collect();
        places.into_iter().for_each(|at| bytes[at..at + version.len()].copy_from_slice(version.as_bytes()));
    }
    let place = |file: &str| format!("wyard-{version}-made/{file}");
    let target = home.path(&format!("wyard-{version}.zip"));
    let files = [
        (place(&format!("bin/{}", executable())), bytes, 0o755),
        (place("share/man/man1/wyard.1"), b".TH wyard 1\n".to_vec(), 0o644),
        (place("share/bash-completion/completions/wyard"), b"complete -W receive wyard\n".to_vec(), 0o644),
        (place("LICENSE"), b"MIT\n".to_vec(), 0o644),
    ];
    zip(&target, &files.each_ref().map(|(path, content, mode)| (path.as_str(), content, *mode)));
    target.to_str().unwrap().to_owned()
}

fn executable() -> String {
    program("wyard").replace(".cmd", ".exe")
}

/// A call of the copy that lies in the yard.
fn installed(home: &Home, version: &str, arguments: &[&str]) -> Ran {
    let file: PathBuf = home.yard().join("stock").join("wyard").join(version).join("bin").join(executable());
    let like = home.command(arguments);
    let mut command = Command::new(file);
    command.args(like.get_args()).current_dir(home.path(""));
    if cfg!(unix) {
        command.env_clear();
    }
    command.envs(like.get_envs().filter_map(|(name, value)| Some((name, value?))));
    Ran::from(command.output().unwrap())
}

#[test]
fn it_is_received_by_a_copy_replaced_while_it_runs_and_comes_back() {
    let home = Home::new();
    let says = |version: &str| assert_eq!(home.fresh("wyard --version").trim(), format!("wyard {version}"));
    home.wyard(&["receive", &packed(&home, VERSION)]).ends(0).says("works in every new terminal");
    says(VERSION);
    let newer = packed(&home, NEWER);
    // The one in service receives the next, and gives way to it while it runs.
    installed(&home, VERSION, &["receive", &newer]).ends(0).says("works in every new terminal");
    says(NEWER);
    // Both go by the hand of the one that is moved away under itself.
    installed(&home, NEWER, &["receive", "--replace", &newer]).ends(0);
    says(NEWER);
    installed(&home, NEWER, &["undo"]).ends(0);
    says(NEWER);
    installed(&home, NEWER, &["undo"]).ends(0);
    says(VERSION);
    assert!(!Path::new(&home.yard().join("stock").join("wyard").join(NEWER)).exists());
    installed(&home, VERSION, &["retire", "wyard"]).ends(0);
    assert!(!home.fresh("wyard --version").contains(VERSION));
}
