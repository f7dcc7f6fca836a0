//! `path`: shown, added to, dropped from, moved in, tidied.

use std::fs;
use std::path::PathBuf;

use serde_json::Value;
use wagon_yard_core::os;
use wagon_yard_core::scope::Scope;

use crate::archives::{script, tidelog};
use crate::home::{Home, Ran, WINDOWS, program};

/// A folder of the home with commands in it.
fn folder(home: &Home, name: &str, commands: &[&str]) -> PathBuf {
    for command in commands {
        let file = home.write(&format!("home/{name}/{}", program(command)), script(name));
        os::set_folder_mode(&file, 0o755).unwrap();
    }
    home.path(&format!("home/{name}"))
}

fn path(home: &Home, arguments: &[&str]) -> Ran {
    home.wyard(&[&["path"], arguments].concat())
}

/// The entries of a report, the system's own left out.
fn entries(report: &Value) -> Vec<PathBuf> {
    let scopes = report["scopes"].as_array().unwrap().iter();
    let lines = scopes.flat_map(|scope| scope["entries"].as_array().unwrap().clone());
    lines
        .map(|line| PathBuf::from(line["expanded"].as_str().unwrap()))
        .filter(|f| f.to_str().unwrap().contains("home"))
        .collect()
}

#[test]
fn folders_are_added_moved_and_dropped_and_nothing_is_left() {
    let home = Home::new();
    home.write("home/.profile", "# mine\n");
    let before = (home.files(), home.registry(Scope::User));
    let (one, two) = (folder(&home, "one", &["tide", "ebb"]), folder(&home, "two", &["tide", "flood"]));
    let (one_text, two_text) = (one.to_str().unwrap(), two.to_str().unwrap());
    let there = (home.files(), home.registry(Scope::User));
    let dry = path(&home, &["add", one_text, "--dry-run", "--json"]).ends(0).json();
    assert_eq!((&dry["dry_run"], &dry["changed"]), (&true.into(), &true.into()));
    assert_eq!((home.files(), home.registry(Scope::User)), there, "a rehearsal writes nothing");
    path(&home, &["add", one_text]).ends(0).says("2 commands change");
    path(&home, &["add", one_text]).ends(0).says("nothing to do");
    path(&home, &["add", two_text, "--last"]).ends(0).says("1 command changes");
    if !WINDOWS {
        assert_eq!(home.fresh("tide; flood"), "tide one\nflood two\n");
    }
    assert_eq!(entries(&path(&home, &["show", "--json"]).ends(0).json()), [one.clone(), two.clone()]);
    let moved = path(&home, &["move", two_text, "--before", one_text, "--json"]).ends(0).json();
    assert_eq!(moved["meanings"].as_array().unwrap().len(), 1, "only tide is in both");
    assert_eq!(moved["meanings"][0]["name"], "tide");
    assert_eq!(entries(&path(&home, &["show", "--json"]).ends(0).json()), [two.clone(), one.clone()]);
    if !WINDOWS {
        assert_eq!(home.fresh("tide"), "tide two\n");
    }
    path(&home, &["drop", two_text]).ends(0);
    path(&home, &["drop", one_text]).ends(0).says("drop");
    fs::remove_dir_all(one).unwrap();
    fs::remove_dir_all(two).unwrap();
    assert_eq!((home.files(), home.registry(Scope::User)), before, "every byte is as before");
}

#[test]
fn what_cannot_be_done_changes_nothing() {
    let home = Home::new();
    let one = folder(&home, "one", &["tide"]);
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let before = home.files();
    let bin = home.yard().join("stock").join("tidelog").join("4.2.1").join("bin");
    let (one, bin) = (one.to_str().unwrap(), bin.to_str().unwrap());
    for (arguments, code, words) in [
        (&["add", "nowhere"][..], 2, "no such folder"),
        (&["drop", one], 2, "is not in the PATH of a new terminal"),
        (&["drop", bin], 2, "wyard unregister tidelog"),
        (&["move", one, "--before", bin], 2, "is not in the PATH"),
        (&["move", bin, "--before", bin], 2, "before itself"),
        (&[], 2, "Usage"),
        (&["tidy"], 0, "PATH is tidy"),
    ] {
        path(&home, arguments).ends(code).says(words);
    }
    assert_eq!(home.files(), before);
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn lines_of_others_are_not_rewritten_but_the_change_is_shown() {
    let home = Home::with(&["bash"]);
    let (one, two) = (folder(&home, "one", &["tide"]), folder(&home, "two", &["tide"]));
    let line = "export PATH=\"$HOME/one:$HOME/two:$HOME/gone:$PATH\"\n";
    for name in [".profile", ".bashrc"] {
        home.write(&format!("home/{name}"), line);
    }
    let before = home.files();
    let told = path(&home, &["drop", one.to_str().unwrap()]).ends(1).says("left").says(".profile, line 1");
    told.says("-export PATH=\"$HOME/one:").says("+export PATH=\"$HOME/two:$HOME/gone:$PATH\"");
    path(&home, &["tidy"]).ends(0).says("its folder does not exist").says("+export PATH=\"$HOME/one:$HOME/two:$PATH\"");
    assert_eq!(home.files(), before);
    // Their order can be changed all the same: our block has the last word.
    path(&home, &["move", two.to_str().unwrap(), "--before", one.to_str().unwrap()]).ends(0);
    assert_eq!(home.fresh("tide"), "tide two\n");
    assert!(fs::read_to_string(home.path("home/.bashrc")).unwrap().starts_with(line));
    path(&home, &["drop", two.to_str().unwrap()]).ends(0);
    assert_eq!((home.fresh("tide"), home.files()), ("tide one\n".to_owned(), before));
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn every_terminal_has_to_have_what_was_added() {
    let home = Home::with(&["bash"]);
    let one = folder(&home, "one", &["tide"]);
    // Login shells, which are most, have it already.
    home.write("home/.profile", "PATH=\"$HOME/one:$PATH\"\n");
    path(&home, &["add", one.to_str().unwrap()]).ends(0).says("add ");
    assert_eq!(home.terminal("bash", "-ic", "tide"), "tide one\n");
    path(&home, &["add", one.to_str().unwrap()]).ends(0).says("nothing to do");
    let bashrc = fs::read_to_string(home.path("home/.bashrc")).unwrap();
    home.write("home/.bashrc", format!("{bashrc}PATH=/usr/bin:/bin\n"));
    path(&home, &["add", one.to_str().unwrap()]).ends(1).says("[change-undone]");
}

#[test]
#[cfg_attr(windows, ignore = "the links are those of Unix")]
fn tidying_takes_out_only_what_changes_no_command() {
    let home = Home::with(&["bash"]);
    let one = folder(&home, "one", &["tide"]);
    let gone = folder(&home, "gone", &["ebb"]);
    os::make_link(&one, &home.path("home/again")).unwrap();
    for folder in [&one, &gone] {
        path(&home, &["add", folder.to_str().unwrap()]).ends(0);
    }
    fs::remove_dir_all(&gone).unwrap();
    let report = path(&home, &["tidy", "--dry-run", "--json"]).ends(0).json();
    assert_eq!(report["steps"][0]["reason"], "its folder does not exist");
    assert_eq!((&report["steps"][0]["done"], &report["meanings"]), (&true.into(), &Value::Array(Vec::new())));
    assert_eq!(entries(&path(&home, &["show", "--json"]).json()).len(), 2, "a rehearsal writes nothing");
    path(&home, &["tidy"]).ends(0).says("none affected");
    assert_eq!(entries(&path(&home, &["show", "--json"]).json()), [one]);
    path(&home, &["tidy"]).ends(0).says("PATH is tidy");
}

#[test]
#[cfg_attr(not(windows), ignore = "it is about the registry")]
fn every_edit_of_the_registry_keeps_the_other_parts() {
    let home = Home::new();
    let one = folder(&home, "one", &["tide"]);
    let one = one.to_str().unwrap();
    path(&home, &["add", one]).ends(0);
    let place = home.keys().of_scope(Scope::User);
    let text = format!("C:\\a b;;%NOBODY%\\x;\"{one}\";{one}\\;C:\\nowhere");
    let bytes: Vec<u8> = format!("{text}\0").encode_utf16().flat_map(u16::to_le_bytes).collect();
    os::write_registry_value(place.hive, &place.key, "Path", Some((2, &bytes))).unwrap();
    let value = || {
        let raw = home.registry(Scope::User).into_iter().find(|v| v.name == "Path").unwrap();
        let units: Vec<u16> = raw.bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        String::from_utf16(&units).unwrap().trim_end_matches('\0').to_owned()
    };
    path(&home, &["tidy"]).ends(0).says("empty entry").says("earlier in PATH").says("missing");
    assert_eq!(value(), format!("%NOBODY%\\x;\"{one}\""));
    path(&home, &["drop", one]).ends(0);
    assert_eq!(value(), "%NOBODY%\\x");
}
