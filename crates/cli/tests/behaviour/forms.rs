//! What holds for every command: one JSON document, a dry run that writes nothing, damaged records told alike.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use wagon_yard_core::os;

use crate::archives::{script, tidelog};
use crate::home::{Home, Ran, SHELL, WINDOWS};
use crate::trace::put;

/// Every file below a folder, with its content.
fn content(folder: &Path) -> BTreeMap<PathBuf, Vec<u8>> {
    let mut found = BTreeMap::new();
    for entry in fs::read_dir(folder).into_iter().flatten() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            found.extend(content(&path));
        } else {
            found.insert(path.clone(), fs::read(path).unwrap());
        }
    }
    found
}

/// Calls, each with its exit code and the name of its report; FOLDER stands for a folder of the home.
fn calls(home: &Home) -> Vec<(Vec<String>, i32, &'static str)> {
    let (archive, older) = (tidelog(home, "4.2.1"), tidelog(home, "4.1.0"));
    let into = home.path("unpacked").to_str().unwrap().to_owned();
    let words = |line: &str| line.split_whitespace().map(str::to_owned).collect::<Vec<String>>();
    let with = |line: &str, file: &str| words(&line.replace("FILE", file));
    vec![
        (words(""), 0, "overview"),
        (with("inspect FILE", &archive), 0, "inspect"),
        ([with("unpack FILE --into", &archive), vec![into]].concat(), 0, "unpack"),
        (with("receive FILE", &older), 0, "receive"),
        (with("receive FILE --dry-run", &archive), 0, "receive"),
        (with("receive FILE", &archive), 0, "receive"),
        (words("check"), 0, "check"),
        (words("check tidelog --no-run"), 0, "check"),
        (words("check --all-path"), 0, "check"),
        (words("trace tidelog"), 0, "trace"),
        (words("trace no-such-tide"), 1, "trace"),
        (words("survey"), 0, "survey"),
        (words("stock"), 0, "stock"),
        (words("stock --mend"), 0, "mend"),
        (words("path show"), 0, "path"),
        (words("path add FOLDER"), 0, "path"),
        (words("path tidy"), 0, "path"),
        (words("path drop FOLDER"), 0, "path"),
        (words("switch tidelog 4.1.0"), 0, "switch"),
        (words("register tidelog@4.2.1"), 0, "register"),
        (words("trial add tidelog --title t --run tidelog"), 0, "trials"),
        (words("trial tidelog"), 0, "trial"),
        (words("trial drop tidelog t"), 0, "trials"),
        (words("history"), 0, "history"),
        (words("history --all"), 0, "history"),
        (words("undo"), 0, "undo"),
        (words("unregister tidelog"), 0, "unregister"),
        ([words("catch-up"), words(SHELL)].concat(), 0, "catch-up"),
        (words("retire tidelog@4.1.0"), 0, "retire"),
        (words("retire --empty"), 0, "retire"),
        (words("adopt --search"), 0, "adopt-search"),
        (words("machine"), 0, "machine"),
        (words("explain shadowed"), 0, "explain"),
        (words("completions bash"), 0, "completions"),
        (words("about"), 0, "about"),
        (words("draft"), 0, "draft"),
        (words("snapshot --into now.json"), 0, "snapshot-written"),
        (words("snapshot --into then.json.gz"), 0, "snapshot-written"),
        (words("compare now.json then.json.gz"), 0, "compare"),
        (words("snapshot"), 0, "snapshot-written"),
        (words("compare --then"), 0, "compare"),
        (words("compare --base now.json then.json.gz"), 0, "compare-many"),
        (words("survey --from now.json"), 0, "survey"),
        (words("stock --from now.json"), 0, "stock"),
        (words("machine --from now.json"), 0, "machine"),
        (words("path show --from now.json"), 0, "path"),
        (words("page --from now.json --into path.html"), 0, "page"),
        (with("deliver FILE --dry-run", home.write("office.toml", "waybill = 1\n").to_str().unwrap()), 0, "deliver"),
        (words("explain nothing-of-the-kind"), 2, "error"),
        (words("receive no-such-file"), 2, "error"),
    ]
}

/// Calls the program with `--json`, and gives the one document that it printed.
fn document(mut command: Command, call: &[String]) -> (i32, serde_json::Value) {
    let output = command.args(["--json", "--quiet"]).output().unwrap();
    let text = String::from_utf8(output.stdout).unwrap_or_else(|e| panic!("{call:?}: {e}"));
    let document = serde_json::from_str(&text).unwrap_or_else(|e| panic!("{call:?}: {e}: {text}"));
    #[cfg(unix)]
    crate::schemas::assert_conforms(&document);
    (output.status.code().unwrap(), document)
}

#[test]
fn every_command_prints_one_document() {
    let home = Home::new();
    fs::create_dir(home.path("tide")).unwrap();
    let folder = home.path("tide");
    for (call, code, report) in calls(&home) {
        let mut command = home.command(&[]);
        command.args(call.iter().map(|word| if word == "FOLDER" { folder.as_os_str() } else { word.as_ref() }));
        let (ended, document) = document(command, &call);
        assert_eq!((&document["format"], &document["report"]), (&1.into(), &report.into()), "{call:?}: {document}");
        // What else is in PATH is the machine's.
        let of_machine = report == "survey" || call.contains(&"--all-path".to_owned());
        assert!(ended == code || of_machine && ended == 1, "{call:?}: {ended} {document}");
    }
}

#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "only there any bytes are a name")]
fn a_home_that_is_no_text_comes_out_to_the_byte() {
    let home = Home::new();
    let place = home.path("home").join(os::name_from_bytes(b"b\xf6je".to_vec()));
    let yard = place.join(".local/share/wagon-yard");
    fs::create_dir_all(&yard).unwrap();
    fs::write(yard.join("settings.toml"), "shells = [\"bash\"]\n").unwrap();
    let folder = place.join("bin");
    fs::create_dir(&folder).unwrap();
    let mut exact = 0;
    for (call, _, report) in calls(&home) {
        let mut command = home.command(&[]);
        command.env("HOME", &place);
        command.args(call.iter().map(|word| if word == "FOLDER" { folder.as_os_str() } else { word.as_ref() }));
        let (ended, document) = document(command, &call);
        let is_error = document["report"] == "error";
        assert_eq!(document["format"], 1, "{call:?}");
        assert!(
            if is_error { document["exit_code"] == ended } else { document["report"] == report && ended < 2 },
            "{call:?}"
        );
        exact += usize::from(document.to_string().contains("62f66a65"));
        if ["stock", "survey", "path"].contains(&report) && call.len() < 3 {
            assert!(!is_error, "{call:?}: {document}");
        }
    }
    assert!(exact >= 2, "the stock and the dry run name the home: {exact}");
}

#[test]
fn a_dry_run_writes_nothing() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    home.wyard(&["trial", "add", "tidelog", "--title", "asks", "--run", "tidelog"]).ends(0);
    let newer = tidelog(&home, "4.3.0");
    fs::create_dir_all(home.yard().join("stock/ebb/1.0")).unwrap();
    put(&home, "tide/bin/ebb", &script("1.0"));
    let (folder, other) = (home.path("tide/bin"), home.path("tide"));
    let before = content(&home.path(""));
    for (call, code) in [
        (&["receive", &newer, "--dry-run"][..], 0),
        (&["check", "tidelog", "--probe", "--never", "--expect", "nothing", "--dry-run", "--no-run"], 0),
        (&["check", "tidelog", "--requires-command", "no-such-tide", "--dry-run"], 1),
        (&["trial", "add", "tidelog", "--title", "more", "--run", "tidelog", "--dry-run"], 0),
        (&["trial", "drop", "tidelog", "asks", "--dry-run"], 0),
        (&["stock", "--mend", "--dry-run"], 0),
        (&["register", "tidelog", "--dry-run"], 0),
        (&["unregister", "tidelog", "--dry-run"], 0),
        (&["switch", "tidelog", "4.2.1", "--dry-run"], 0),
        (&["retire", "tidelog", "--dry-run"], 0),
        (&["retire", "--empty", "--dry-run"], 0),
        (&["undo", "--dry-run"], 0),
        (&["path", "add", folder.to_str().unwrap(), "--dry-run"], 0),
        (&["path", "tidy", "--dry-run"], 0),
        (&["unpack", &newer, "--into", home.path("new").to_str().unwrap(), "--dry-run"], 0),
    ] {
        home.wyard(call).ends(code);
        assert_eq!(content(&home.path("")), before, "{call:?}");
    }
    // On Windows a script without an extension is no tool.
    if !WINDOWS {
        home.wyard(&["adopt", other.to_str().unwrap(), "--version", "1.0", "--dry-run"]).ends(0);
        assert_eq!(content(&home.path("")), before);
    }
}

#[test]
fn a_card_that_cannot_be_read_is_told_alike() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let card = home.yard().join("cards").join("tidelog").join("4.2.1.toml");
    fs::write(&card, "card = 1\nname = tidelog\n").unwrap();
    let path = card.to_str().unwrap();
    let short = &format!("cards{0}tidelog{0}4.2.1.toml", std::path::MAIN_SEPARATOR);
    for (call, code) in [
        (&["check"][..], 1),
        (&["stock", "--no-run"], 1),
        (&["trace", "tidelog", "--terminal", "new"], 1),
        (&["survey", "--terminal", "new"], 1),
        (&["path", "show"], 1),
    ] {
        let told = home.wyard(call).ends(code).says("[card-unreadable]").says(short);
        assert!(!told.out.contains("\\n"), "{}", told.out);
    }
    let before = content(&home.path("home"));
    let folder = home.path("home").to_str().unwrap().to_owned();
    let calls = [
        &["register", "tidelog"][..],
        &["retire", "tidelog"],
        &["check", "tidelog"],
        &["undo"],
        &["path", "add", &folder],
    ];
    // In the registry a folder is put in without a look at the cards.
    for call in calls.into_iter().filter(|call| !WINDOWS || call[0] != "path") {
        let Ran { out, err, code } = home.wyard(call);
        assert_eq!((code, out.as_str()), (4, ""), "{call:?}: {err}");
        // Causes of several lines are several lines.
        assert!(err.contains(path) && err.contains("because:") && !err.contains("\\n"), "{call:?}: {err}");
    }
    let after = content(&home.path("home"));
    assert!(before.keys().all(|file| file.ends_with("lock.holder") || before[file] == after[file]), "nothing is lost");
}
