//! `snapshot`, `compare`, and `trace --from`: what a machine finds, in one file.

use std::fs;

use serde_json::Value;

use crate::archives::{script, tidelog, zip};
use crate::home::{Home, WINDOWS, program};

/// A home with a tool, and an older copy of it that the user had.
fn station(version: &str) -> Home {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, version), "--quiet"]).ends(0);
    home
}

fn snapshot(home: &Home, name: &str) -> String {
    let file = home.path(&format!("{name}.json"));
    let file = file.to_str().unwrap().to_owned();
    home.wyard(&["snapshot", "--into", &file]).ends(0).says("1 tool");
    file
}

/// The file that each caller of a new terminal runs.
fn winners(report: &Value) -> Vec<(String, String)> {
    let callers = report["commands"][0]["callers"].as_array().unwrap();
    let one = |caller: &Value| {
        let winner = caller["winner"].as_str().unwrap_or_default();
        (caller["caller"].as_str().unwrap().to_owned(), winner.to_owned())
    };
    callers.iter().map(one).collect()
}

#[test]
fn a_recorded_machine_is_traced_as_itself() {
    let home = station("4.2.1");
    let file = snapshot(&home, "now");
    let text = fs::read_to_string(&file).unwrap();
    let folder = home.path("home").to_str().unwrap().replace('\\', "\\\\");
    assert!(!text.contains(&folder) && text.contains("~"), "{text}");
    let own_home = home.path("home").to_str().unwrap().to_owned();
    for name in ["tidelog", if WINDOWS { "cmd" } else { "sort" }, "no-such-command"] {
        let here = home.wyard(&["trace", name, "--terminal", "new", "--json"]).json();
        let there = home.wyard(&["trace", name, "--from", &file, "--json"]).json();
        for (caller, winner) in winners(&there) {
            let expected: Vec<String> =
                winners(&here).into_iter().filter(|(c, _)| *c == caller).map(|(_, w)| w).collect();
            assert!(expected.contains(&winner.replace('~', &own_home)), "{name}, {caller}: {winner}, not {expected:?}");
        }
        assert_eq!(there["failed"], here["failed"], "{name}");
    }
    home.wyard(&["trace", "tidelog", "--from", &file]).ends(0).says("predicted").says("4.2.1");
    home.wyard(&["trace", "no-such-command", "--from", &file]).ends(1);
}

#[test]
fn what_differs_and_matters_is_told() {
    let (old, new) = (station("4.1.0"), station("4.2.1"));
    let (before, after) = (snapshot(&old, "before"), snapshot(&new, "after"));
    new.wyard(&["compare", &before, &after])
        .ends(1)
        .says("before and after: 1 command differs")
        .says("tidelog: different version")
        .says("tool tidelog: 4.1.0 on before, 4.2.1 on after");
    new.wyard(&["compare", &after, &snapshot(&new, "again")]).ends(0).says("no difference that matters");
    let report = new.wyard(&["compare", &before, &after, "--json"]).ends(1).json();
    assert_eq!(report["commands"][0]["means"][1]["version"], "4.2.1");

    // The same content in another folder is no matter.
    let copy = Home::new();
    let bin = copy.path("home/other");
    fs::create_dir_all(&bin).unwrap();
    zip(&copy.path("t.zip"), &[(&format!("bin/{}", program("tidelog")), script("4.2.1"), 0o755)]);
    copy.wyard(&["unpack", copy.path("t.zip").to_str().unwrap(), "--into", bin.join("t").to_str().unwrap()]).ends(0);
    copy.wyard(&["path", "add", bin.join("t").join("bin").to_str().unwrap()]).ends(0);
    let file = copy.path("copy.json.gz");
    copy.wyard(&["snapshot", "--into", file.to_str().unwrap(), "--name", "pier-3"]).ends(0);
    assert_eq!(&fs::read(&file).unwrap()[..2], [0x1f, 0x8b]);
    let file = file.to_str().unwrap();
    new.wyard(&["compare", &after, file]).ends(0).says("same content in another folder (1): tidelog");

    // Many machines, each compared with one.
    let fleet = new.path("fleet");
    fs::create_dir(&fleet).unwrap();
    for at in 1..=3 {
        fs::copy(&after, fleet.join(format!("pier-{at}.json"))).unwrap();
    }
    fs::copy(&before, fleet.join("pier-9.json")).unwrap();
    fs::write(fleet.join("broken.json"), "{}").unwrap();
    let part = fs::read_to_string(&after).unwrap().replacen("\"files\":[", "\"files\":[{\"name\":1},", 1);
    fs::write(fleet.join("spoiled.json"), part).unwrap();
    new.wyard(&["compare", "--base", &after, fleet.to_str().unwrap()])
        .ends(1)
        .says("3 of 4 agree with after")
        .says("pier-9: 4.1.0, ")
        .says("broken.json: not a snapshot")
        .says("spoiled.json: not a snapshot");
}

#[test]
fn nothing_is_written_over_and_strange_files_are_refused() {
    let home = station("4.2.1");
    let mine = home.write("mine.json", "{\"mine\": 1}");
    let mine = mine.to_str().unwrap();
    home.wyard(&["snapshot", "--into", mine]).ends(2).says("exists, and is not a snapshot");
    assert_eq!(fs::read_to_string(mine).unwrap(), "{\"mine\": 1}");
    home.wyard(&["snapshot", "--into", home.path("home").to_str().unwrap()]).ends(2);
    let file = snapshot(&home, "now");
    home.wyard(&["snapshot", "--into", &file]).ends(0);
    home.wyard(&["compare", &file]).ends(2).says("fewer than two");
    home.wyard(&["compare", &file, mine]).ends(3).says("not a snapshot");
    home.wyard(&["compare", &file, "none.json"]).ends(2);
    let later = fs::read_to_string(&file).unwrap().replace("\"snapshot\":1", "\"snapshot\":2");
    let later = home.write("later.json", later);
    let other = if WINDOWS { "bash" } else { "cmd" };
    home.wyard(&["trace", "tidelog", "--from", &file, "--as", other]).ends(2).says("terminal; it has: ");
    home.wyard(&["trace", "tidelog", "--from", later.to_str().unwrap()]).ends(3).says("a snapshot of format 2");
}

#[test]
fn a_windows_machine_is_traced_anywhere_by_its_own_rules() {
    let home = Home::new();
    // One of each format is kept: it stays readable.
    let file = home.write("pier-3.json", include_str!("kept/windows-snapshot-1.json"));
    let file = file.to_str().unwrap();
    let winner = |name: &str| {
        let report = home.wyard(&["trace", name, "--from", file, "--json"]).json();
        winners(&report)
    };
    assert_eq!(winner("TIDELOG"), [("cmd".to_owned(), "~\\Old Tools\\tidelog-3.9\\bin\\TIDELOG.cmd".to_owned())]);
    assert_eq!(winner("tidelog.exe")[0].1, "C:\\Tools\\Tidelog\\BIN\\tidelog.exe");
    assert_eq!(winner("tidelogc")[0].1, "C:\\Tools\\Tidelog\\BIN\\tidelogc.exe");
    assert_eq!(winner("sort")[0].1, "C:\\Windows\\system32\\sort.exe");
    home.wyard(&["trace", "tidelog", "--from", file, "--as", "cmd"]).ends(0).says("3.9").says("4.2.1").says("shadowed");
}

/// A report without what is of this call alone, with the home as a snapshot has it.
fn as_recorded(home: &Home, report: &Value) -> Value {
    let folder = home.path("home").to_str().unwrap().replace('\\', "\\\\");
    serde_json::from_str(&report.to_string().replace(&folder, "~")).unwrap()
}

#[test]
fn a_recorded_machine_answers_as_itself() {
    let home = station("4.2.1");
    let old = home.path("home/old");
    home.write(&format!("home/old/{}", program("tidelog")), script("3.9"));
    home.wyard(&["path", "add", old.to_str().unwrap(), "--last"]).ends(0);
    fs::remove_dir_all(&old).unwrap();
    let file = snapshot(&home, "now");
    // What is told of both in the same words, and where they are recorded.
    for (command, at) in [
        (&["survey"][..], &["scopes", "findings"][..]),
        (&["path", "show"], &["scopes"]),
        (&["stock"], &["yard", "tools", "elsewhere", "findings"]),
        (&["machine"], &["system", "system_name", "kernel", "processor", "processor_level", "c_libraries", "emulates"]),
    ] {
        let here = home.wyard(&[command, &["--json"]].concat());
        let there = home.wyard(&[command, &["--json", "--from", &file]].concat()).ends(here.code);
        let (here, there) = (as_recorded(&home, &here.json()), there.json());
        for field in at {
            let without_origin = |value: &Value| {
                let mut value = value.clone();
                if let Some(list) = value.as_array_mut() {
                    // How long a terminal takes is another time each time.
                    list.retain(|one| one["code"] != "slow-startup");
                }
                for scope in value.as_array_mut().into_iter().flatten() {
                    for entry in scope.get_mut("entries").and_then(Value::as_array_mut).into_iter().flatten() {
                        // How an origin was found out is not recorded.
                        entry.as_object_mut().unwrap().remove("origin");
                    }
                }
                value
            };
            assert_eq!(without_origin(&there[field]), without_origin(&here[field]), "{command:?}, {field}");
        }
    }
    home.wyard(&["survey", "--from", &file]).ends(0).says("Snapshot of unnamed machine").says("folder-missing");
    home.wyard(&["path", "show", "--from", &file]).ends(0).says("Wagon Yard, for tidelog");

    // What a download would bring there.
    let download = tidelog(&home, "4.3.0");
    let windows = home.write("pier-3.json", include_str!("kept/windows-snapshot-1.json"));
    let windows = windows.to_str().unwrap();
    home.wyard(&["inspect", &download, "--from", &file]).ends(0).says("the yard has 4.2.1").says("comes before");
    let report = home.wyard(&["inspect", &download, "--from", windows, "--json"]).ends(0).json();
    assert_eq!(report["held"], serde_json::json!([]));

    // An early snapshot does not have all.
    home.wyard(&["survey", "--from", windows]).ends(3).says("has no survey");
    home.wyard(&["machine", "--from", windows]).ends(0).says("windows");
    home.wyard(&["stock", "--from", windows]).ends(0);
    home.wyard(&["path", "show", "--from", windows]).ends(0).says(r"C:\Tools\Tidelog\BIN");
    home.wyard(&["stock", "--from", &file, "--mend"]).ends(2);
}

#[test]
fn what_has_changed_since_is_told() {
    let home = Home::new();
    home.wyard(&["compare", "--then"]).ends(2).says("no snapshot is kept").says("wyard snapshot");
    home.wyard(&["snapshot"]).ends(0).says("wyard compare --then");
    home.wyard(&["compare", "--then"]).ends(0).says("no difference that matters");
    home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--quiet"]).ends(0);
    home.wyard(&["compare", "--then"]).ends(1).says("only on this machine: tidelog");
    home.wyard(&["snapshot"]).ends(0);
    home.wyard(&["compare", "--then"]).ends(0);
    home.wyard(&["compare", "--then", "x.json"]).ends(2);
}
