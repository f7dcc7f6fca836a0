//! What entries of the registry mean, and what becomes of them.
#![cfg(windows)]

use std::fs;

use serde_json::Value;
use wagon_yard_core::os;
use wagon_yard_core::registry::{RegistryValue, ValueKind};
use wagon_yard_core::scope::Scope;

use crate::home::{Home, Ran};

/// Writes values: `S` is the system's key, `U` the user's; `NAME=text` is a plain value, `NAME:=text` an expandable one. `~` is the
/// test's folder.
fn set(home: &Home, lines: &[&str]) {
    for line in lines {
        let scope = if line.starts_with('S') { Scope::System } else { Scope::User };
        let (name, text) = line[2..].split_once('=').unwrap();
        let kind = if name.ends_with(':') { ValueKind::Expandable } else { ValueKind::Plain };
        let value = RegistryValue::new(kind, text.replace('~', home.path("").to_str().unwrap().trim_end_matches('\\')));
        let place = home.keys().of_scope(scope);
        let bytes = value.bytes();
        os::write_registry_value(place.hive, &place.key, name.trim_end_matches(':'), Some((kind.number(), &bytes)))
            .unwrap();
    }
}

fn path_of(home: &Home, scope: Scope) -> String {
    let raw = home.registry(scope).into_iter().find(|value| value.name.eq_ignore_ascii_case("Path"));
    let text = raw.and_then(|raw| RegistryValue::from_raw(&raw)).map(|value| value.text).unwrap_or_default();
    text.replace(home.path("").to_str().unwrap().trim_end_matches('\\'), "~")
}

/// A home with folders of one command each: `one` in `one`, and so on.
fn home() -> Home {
    let home = Home::new();
    for name in ["one", "two", "three"] {
        home.write(&format!("{name}/bin/{name}.cmd"), format!("@echo {name}\r\n"));
    }
    home
}

fn path(home: &Home, arguments: &[&str]) -> Ran {
    home.wyard(&[&["path"], arguments].concat())
}

/// Another name for both variables, as tools that are installed for everybody and for the user have it.
const BOTH: [&str; 4] =
    [r"S T_HOME=~\one", r"S Path:=%SystemRoot%\system32;%T_HOME%\bin", r"U T_HOME=~\two", r"U Path:=%T_HOME%\bin"];

#[test]
fn a_reference_means_what_its_scope_says() {
    let home = home();
    set(&home, &BOTH);
    let shown = path(&home, &["show", "--json"]).ends(0).json();
    let folders: Vec<&str> = shown["scopes"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|scope| scope["entries"].as_array().unwrap())
        .map(|entry| entry["expanded"].as_str().unwrap())
        .collect();
    assert!(folders[1].ends_with(r"\one\bin") && folders[2].ends_with(r"\two\bin"), "{folders:?}");
    path(&home, &["tidy"]).ends(0).says("PATH is tidy");
    home.wyard(&["trace", "two"]).says("two.cmd");
    assert!(!home.wyard(&["survey"]).out.contains("duplicate-entry"));
    // The system's is not in the way of what the user means, and the other way round.
    let one = home.path("one/bin");
    path(&home, &["drop", one.to_str().unwrap()]).ends(2).says("system's PATH").says("--scope system");
    let two = home.path("two/bin");
    let report = path(&home, &["drop", two.to_str().unwrap(), "--json"]).ends(0).json();
    assert_eq!(report["meanings"][0]["name"].as_str().map(str::to_lowercase).as_deref(), Some("two"), "{report}");
    assert_eq!(
        (path_of(&home, Scope::System).as_str(), path_of(&home, Scope::User).as_str()),
        (r"%SystemRoot%\system32;%T_HOME%\bin", "")
    );
    home.wyard(&["undo"]).ends(0);
    // What only the user's variable would make a folder that is not there stays in the system's value.
    set(&home, &[r"U T_HOME=~\gone"]);
    path(&home, &["tidy"]).ends(0).says("does not exist");
    assert_eq!(path_of(&home, Scope::System), r"%SystemRoot%\system32;%T_HOME%\bin");
    assert_eq!(path_of(&home, Scope::User), "");
    let one = home.path("one/bin");
    path(&home, &["--scope", "system", "drop", one.to_str().unwrap()]).ends(0).says("one");
    assert_eq!(path_of(&home, Scope::System), r"%SystemRoot%\system32");
}

#[test]
fn an_entry_may_be_several_folders() {
    let home = home();
    let three = home.path("three/bin");
    set(&home, &[r"U TOOLS=~\one\bin;~\two\bin;~\gone", r"U Path:=%TOOLS%;~\three\bin;~\nowhere"]);
    path(&home, &["show"]).ends(0).says(r"one\bin (of %TOOLS%)").says(r"gone (of %TOOLS%) (missing)");
    path(&home, &["tidy"]).ends(0).says("nowhere");
    assert_eq!(path_of(&home, Scope::User), r"%TOOLS%;~\three\bin");
    let survey = home.wyard(&["survey"]);
    survey.says("folder-missing").says("change the variable that %TOOLS% refers to");
    let one = home.path("one/bin");
    path(&home, &["drop", one.to_str().unwrap()]).ends(2).says("one of several folders of the entry %TOOLS%");
    path(&home, &["move", three.to_str().unwrap(), "--before", "%tools%"]).ends(0);
    assert_eq!(path_of(&home, Scope::User), r"~\three\bin;%TOOLS%");
    path(&home, &["drop", "%TOOLS%"]).ends(0).says("one").says("two");
    assert_eq!(path_of(&home, Scope::User), r"~\three\bin");
    home.wyard(&["undo"]).ends(0);
    // All of them are dead.
    for name in ["one", "two"] {
        fs::remove_dir_all(home.path(name)).unwrap();
    }
    path(&home, &["tidy"]).ends(0).says("none of its 3 folders exists");
    assert_eq!(path_of(&home, Scope::User), r"~\three\bin");
    // The user's value repeats the system's.
    set(&home, &[r"S Path:=%SystemRoot%\system32;~\three\bin", r"U Path:=%Path%;~\three\bin"]);
    path(&home, &["tidy"]).ends(0);
    assert_eq!(
        (path_of(&home, Scope::System).as_str(), path_of(&home, Scope::User).as_str()),
        (r"%SystemRoot%\system32;~\three\bin", "")
    );
}

#[test]
fn what_windows_needs_and_what_is_everybodys_stays() {
    let home = home();
    set(
        &home,
        &[
            r"S Path:=%SystemRoot%\system32;;~\gone;%SystemRoot%\System32\OpenSSH;C:\windows\SYSTEM32\",
            r"U Path:=%SystemRoot%\system32;~\one\bin;~\gone",
        ],
    );
    let before = path_of(&home, Scope::System);
    path(&home, &["drop", "%SystemRoot%\\System32\\OpenSSH", "--scope", "system"]).ends(2).says("Windows needs");
    path(&home, &["drop", r"C:\windows\system32", "--scope", "system"]).ends(0);
    assert_eq!(path_of(&home, Scope::User), r"%SystemRoot%\system32;~\one\bin;~\gone");
    assert_eq!(path_of(&home, Scope::System), r";~\gone;%SystemRoot%\System32\OpenSSH");
    home.wyard(&["undo", "--scope", "system"]).ends(0);
    assert_eq!(path_of(&home, Scope::System), before);
    let survey = home.wyard(&["survey", "--json"]).json();
    let remedies: Vec<&Value> = survey["scopes"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|scope| scope["entries"].as_array().unwrap())
        .flat_map(|entry| entry["findings"].as_array().unwrap())
        .map(|finding| &finding["remedy"])
        .collect();
    assert!(!remedies.iter().any(|remedy| remedy.to_string().contains("OpenSSH")), "{remedies:?}");
    // Only the user's value changes, and what is offered for the system's names its scope.
    path(&home, &["tidy"]).ends(0).says("--scope system").says("wyard path tidy --scope system");
    assert_eq!((path_of(&home, Scope::System), path_of(&home, Scope::User)), (before, r"~\one\bin".to_owned()));
    path(&home, &["tidy", "--yes"]).ends(0);
    assert_eq!(path_of(&home, Scope::System), r"%SystemRoot%\system32;%SystemRoot%\System32\OpenSSH");
}

#[test]
fn an_entry_is_named_as_it_is_written_and_added_by_reference() {
    let home = home();
    set(&home, &[r"U T_HOME=~\one", r"U NOWHERE=~\nowhere", r"U Path:=~\two\bin"]);
    assert!(!path(&home, &["add", r"%T_HOME%\bin", "--dry-run"]).ends(0).out.contains("(of "));
    path(&home, &["add", r"%T_HOME%\bin"]).ends(0);
    assert_eq!(path_of(&home, Scope::User), r"%T_HOME%\bin;~\two\bin");
    path(&home, &["add", r"%t_home%\bin"]).ends(0).says("nothing to do");
    path(&home, &["add", r"%NOWHERE%\bin"]).ends(2).says(r"nowhere\bin: no such folder");
    path(&home, &["add", r"%NOBODY%\bin"]).ends(2).says(r"%NOBODY%\bin: no such folder");
    path(&home, &["drop", r"%NOBODY%\bin"]).ends(2).says(r"wyard: %NOBODY%\bin is not in the PATH");
    path(&home, &["move", r"~two", "--before", r"%T_HOME%\bin"]).ends(2);
    let two = home.path("two/bin");
    path(&home, &["move", two.to_str().unwrap(), "--before", r"%T_HOME%\bin"]).ends(0);
    assert_eq!(path_of(&home, Scope::User), r"~\two\bin;%T_HOME%\bin");
    path(&home, &["drop", r"%t_home%\BIN"]).ends(0).says("one");
    assert_eq!(path_of(&home, Scope::User), r"~\two\bin");
    set(&home, &[r"U Path=~\two\bin"]);
    path(&home, &["add", r"%T_HOME%\bin"]).ends(2).says("plain string");
    // A quote that is left open takes along what would come behind it.
    set(&home, &[r#"U Path:="~\two\bin"#]);
    let (before, one) = (path_of(&home, Scope::User), home.path("one/bin"));
    path(&home, &["add", "--last", one.to_str().unwrap()]).ends(2).says("more of PATH than you asked for");
    assert_eq!(path_of(&home, Scope::User), before);
}

#[test]
fn an_ending_that_pathext_leaves_out_is_named_and_its_remedy_helps() {
    let home = home();
    home.wyard(&["receive", &crate::archives::tidelog(&home, "4.2.1")]).ends(0);
    for broken in ["U PATHEXT=.COM;.EXE", "U PATHEXT=COM;EXE;CMD;TIDE", "U PATHEXT=.COM; .CMD;.TIDE"] {
        set(&home, &[broken]);
        let said = home.wyard(&["check"]).ends(1).says("PATHEXT does not list .CMD").out;
        let value = said.split("setx PATHEXT \"").nth(1).unwrap().split('"').next().unwrap().to_owned();
        assert!(!broken.contains("TIDE") || value.ends_with(".TIDE"), "{value}");
        home.wyard(&["survey"]).says("PATHEXT does not list .CMD");
        set(&home, &[&format!("U PATHEXT={value}")]);
        home.wyard(&["check"]).ends(0).says("all good");
    }
}
