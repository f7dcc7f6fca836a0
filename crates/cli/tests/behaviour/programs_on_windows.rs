//! Compiled programs of Windows: what they need, and whether they are started.
#![cfg(windows)]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::home::Home;

/// A program that `scripts/windows-lane` has compiled; elsewhere the test says that it skips.
pub fn test_program(name: &str) -> Option<PathBuf> {
    let folder = std::env::var_os("WYARD_TEST_PROGRAMS");
    assert!(folder.is_some() || std::env::var_os("CI").is_none(), "{name} is missing, and CI may skip nothing");
    if folder.is_none() {
        eprintln!("skipped: {name} is not there; scripts/windows-lane compiles it");
    }
    Some(PathBuf::from(folder?).join(name))
}

/// An archive of a compiled single program, as NAME 1.0.
fn packed(home: &Home, program: &Path, name: &str) -> String {
    let content = fs::read(program).unwrap();
    let mut tar = tar::Builder::new(Vec::new());
    let mut header = tar::Header::new_gnu();
    header.set_size(content.len() as u64);
    header.set_mode(0o644);
    tar.append_data(&mut header, format!("{name}-1.0/{name}.exe"), content.as_slice()).unwrap();
    let archive = home.write(&format!("{name}-1.0.tar"), tar.into_inner().unwrap());
    archive.to_str().unwrap().to_owned()
}

#[test]
fn a_program_with_windows_is_not_started() {
    let Some(program) = test_program("window.exe") else { return };
    let home = Home::new();
    // What was not started is not good.
    home.wyard(&["receive", &packed(&home, &program, "window")]).ends(1).says("is a windowed program and was not run");
    assert!(!home.yard().join("stock/window/1.0/window.exe.started").exists());
}

#[test]
fn a_missing_library_is_told_in_words() {
    let Some(program) = test_program("needs.exe") else { return };
    let home = Home::new();
    let archive = packed(&home, &program, "needs");
    home.wyard(&["receive", &archive]).ends(3).says("it needs the library shore.dll").says("install the package");
    home.wyard(&["receive", &archive, "--foreign"])
        .ends(1)
        .says("does-not-start")
        .says("a library it needs was not found");
}

#[test]
fn a_function_that_a_library_of_the_system_lacks_is_told() {
    let Some(program) = test_program("needs.exe") else { return };
    let mut content = fs::read(&program).unwrap();
    let at = content.windows(9).position(|nine| nine == b"shore.dll").unwrap();
    content[at..at + 9].copy_from_slice(b"ntdll.dll");
    let home = Home::new();
    let changed = home.write("needs.exe", content);
    let archive = packed(&home, &changed, "needs");
    home.wyard(&["receive", &archive]).ends(3).says("it needs the function shore_level of ntdll.dll");
}

/// How a program was started, call by call; nothing where it was not.
fn started(program: &Path) -> Vec<String> {
    let noted = fs::read_to_string(format!("{}.started", program.display())).unwrap_or_default();
    noted.lines().map(|line| line.trim_end_matches('.').trim().to_owned()).collect()
}

#[test]
fn nothing_is_started_unasked() {
    let Some(program) = test_program("noisy.exe") else { return };
    let home = Home::new();
    let own = home.yard().join("stock/noisy/1.0/noisy.exe");
    // A shadow of it, in a folder of PATH that comes first.
    let shadow = home.write("shadow/noisy.exe", fs::read(&program).unwrap());
    let archive = packed(&home, &program, "noisy");
    // Whoever runs the tests may be an administrator or not: with a checksum, or without.
    let is_elevated = wagon_yard_core::os::is_superuser();
    let ran = home.unasked(&["receive", &archive]);
    if is_elevated {
        ran.ends(1).says("administrator rights").says("--unsealed");
        assert_eq!(started(&own), [""; 0]);
    }
    let bare = home.write("bare.exe", fs::read(&program).unwrap());
    home.unasked(&["receive", bare.to_str().unwrap(), "--name", "bare", "--version", "1.0"])
        .ends(1)
        .says("was not run");
    assert_eq!(started(&home.yard().join("stock/bare/1.0/bare.exe")), [""; 0]);
    for listing in [
        &["stock"][..],
        &["survey"],
        &["path", "show"],
        &["trace", "noisy", "--versions"],
        &["inspect", &archive],
        &["check", "--no-run"],
    ] {
        home.unasked(listing);
    }
    home.wyard(&["path", "add", shadow.parent().unwrap().to_str().unwrap()]).ends(0);
    home.wyard(&["check", "noisy"]).ends(1).says("shadowed");
    home.wyard(&["check", "--all-path"]);
    home.wyard(&["trace", "noisy", "--versions"]);
    assert_eq!(started(&shadow), [""; 0], "somebody else's");
    home.wyard(&["path", "drop", shadow.parent().unwrap().to_str().unwrap()]).ends(0);
    let before = started(&own).len();
    home.wyard(&["check", "noisy"]).ends(0).says("tried without a seal");
    let calls = started(&own);
    assert!(calls.len() > before, "{calls:?}");
    assert!(calls.iter().all(|words| words == "--version" || words == "-version"), "{calls:?}");
}

#[test]
fn what_is_started_ends_with_the_call_and_is_given_nothing() {
    let Some(program) = test_program("lingers.exe") else { return };
    let home = Home::new();
    let held = home.path("held");
    let archive = packed(&home, &program, "lingers");
    // Called by a program whose open file every program that it starts can write to.
    let receive = home.command(&["receive", &archive]);
    let called =
        Command::new(&program).arg("hold").arg(&held).arg(receive.get_program()).args(receive.get_args()).status();
    assert_eq!(called.unwrap().code(), Some(0));
    let own = home.yard().join("stock/lingers/1.0/lingers.exe");
    let noted = |ending: &str| fs::read_to_string(format!("{}.{ending}", own.display())).ok();
    assert_eq!(noted("window").as_deref(), Some("none"));
    assert_eq!(noted("left").as_deref(), Some(""), "nothing was left behind, so that nothing could be ended");
    std::thread::sleep(std::time::Duration::from_secs(7));
    assert_eq!(noted("later"), None);
    assert_eq!(fs::read_to_string(&held).unwrap(), "");
}
