//! `receive`, `check`, `stock`, `trace` and `register` as a person calls them.

use std::fs;

use wagon_yard_core::scope::Scope;

use crate::archives::{script, tidelog, zip};
use crate::home::{Home, SHELL, WINDOWS, program};

#[test]
fn the_main_job_prints_a_line_for_each_stage() {
    let home = Home::new();
    let ran = home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let labels: Vec<&str> = ran.out.lines().take(6).map(|l| l.split(' ').next().unwrap()).collect();
    assert_eq!(labels, ["identify", "checksum", "layout", "unpack", "register", "check"]);
    let ran = ran.says("not compared").says("Open a new terminal").err;
    assert_eq!(ran, "", "nothing on standard error without a terminal");
}

#[test]
fn refusals_have_their_exit_code_and_leave_nothing() {
    let home = Home::new();
    let good = tidelog(&home, "4.2.1");
    let wrong = "0".repeat(64);
    let page = home.write("tidelog-4.2.1-page.zip", "<!DOCTYPE html><title>Brackwater</title>");
    let empty = home.write("empty.zip", "");
    let cut = home.write("cut-1.0.tar.gz", &[0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 3][..]);
    let text = home.write("text.zip", "just text\n");
    let (tidal, x) = (program("tidelog"), format!("a:b/bin/{}", program("x")));
    let sources = zip(&home.path("sources-1.0.zip"), &[("sources-1.0/main.src", "code", 0o644)]);
    let colon = zip(&home.path("colon-1.0.zip"), &[(&x, &*script("1.0"), 0o755), ("read", "", 0o644)]);
    let plain = zip(&home.path("download.zip"), &[(&tidal, &script("1.0"), 0o755)]);
    let place = |p: &std::path::Path| p.to_str().unwrap().to_owned();
    let cases: [(Vec<String>, i32, &str); 15] = [
        (vec![place(&page)], 3, "a web page"),
        (vec![place(&empty)], 3, "an empty file"),
        (vec![place(&cut)], 3, "truncated: it has 10 bytes"),
        (vec![place(&text)], 3, "plain text"),
        (vec![place(&home.path("none.zip"))], 2, "no such file"),
        (vec![place(&home.path("home"))], 3, "a folder"),
        (vec![env!("CARGO_BIN_EXE_wyard").into()], 2, "--version VERSION"),
        (vec![good.clone(), "--sha256".into(), wrong.clone()], 3, &wrong),
        (vec![good.clone(), "--sha256".into(), "abc".into()], 2, "64 hex digits"),
        (vec![place(&sources)], 3, "no commands"),
        (vec![place(&colon)], 3, if WINDOWS { "Windows does not allow" } else { "separates PATH entries" }),
        (vec![place(&plain)], 2, "--version VERSION"),
        (vec![good.clone(), "--name".into(), "../x".into()], 2, "is not a valid tool name"),
        (
            vec![good.clone(), "--home-variable".into(), "PATH".into()],
            2,
            "cannot point to a tool: it is a variable of the system",
        ),
        (vec![good.clone(), "--command-folder".into(), "lib".into()], 2, "contains no programs"),
    ];
    let before = home.files();
    for (arguments, code, text) in cases {
        let mut call = vec!["receive"];
        call.extend(arguments.iter().map(String::as_str));
        home.wyard(&call).ends(code).says(text);
        assert_eq!(home.files(), before, "{arguments:?}");
        assert!(!home.yard().join("stock").exists(), "{arguments:?}");
        let staging = home.yard().join("staging");
        assert!(!staging.exists() || fs::read_dir(staging).unwrap().next().is_none(), "{arguments:?}");
    }
}

#[test]
fn a_published_checksum_is_compared_whatever_its_case() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    let report = home.wyard(&["receive", &archive, "--dry-run", "--json"]).ends(0).json();
    let published = format!(" {} ", report["sha256"].as_str().unwrap().to_uppercase());
    home.wyard(&["receive", &archive, "--sha256", &published]).ends(0).says("as published");
}

#[test]
fn a_dry_run_writes_nothing_at_all() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    fs::remove_dir_all(home.yard()).unwrap();
    home.wyard(&["receive", &archive, "--dry-run"]).ends(0).says("would go into").says("Dry run: nothing was changed");
    assert!(!home.yard().exists() && home.files().is_empty() && home.registry(Scope::User).is_empty());
}

#[test]
fn a_version_that_is_there_is_only_replaced_on_request() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    home.wyard(&["receive", &archive]).ends(0);
    let file = home.yard().join("stock/tidelog/4.2.1/extra");
    fs::write(&file, "of the user").unwrap();
    home.wyard(&["receive", &archive]).ends(3).says("already in the yard").says("--replace");
    assert!(file.exists());
    home.wyard(&["receive", &archive, "--replace"]).ends(0);
    assert!(!file.exists(), "the whole folder was swapped");
    assert!(fs::read_dir(home.yard().join("staging")).unwrap().next().is_none());
}

#[test]
fn names_versions_variables_and_folders_can_be_given() {
    let home = Home::new();
    let (one, two) = (format!("w/tools/{}", program("one")), format!("w/bin/{}", program("two")));
    let files = [(&*one, &*script("7.1"), 0o755), (&two, &script("7.1"), 0o755)];
    let archive = zip(&home.path("download.zip"), &files);
    let call =
        ["receive", archive.to_str().unwrap(), "--name", "Gauge", "--version", "v7.1", "--command-folder", "tools"];
    home.wyard(&[&call[..], &["--home-variable", "GAUGE", "--home-variable", "GAUGE_ROOT"]].concat()).ends(0);
    let stock = home.yard().join("stock").join("gauge").join("7.1");
    assert_eq!((home.fresh("one"), home.fresh("two")), ("one 7.1\n".to_owned(), String::new()));
    let place = stock.display().to_string();
    assert_eq!((home.variable("GAUGE"), home.variable("GAUGE_ROOT")), (place.clone(), place));
    home.wyard(&["receive", archive.to_str().unwrap(), "--name", "bare", "--version", "1", "--no-home-variable"]);
    assert_eq!((home.variable("BARE_HOME"), home.fresh("two")), (String::new(), "two 7.1\n".to_owned()));
}

#[test]
fn a_second_version_takes_over_and_both_stay() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "3.9")]).ends(0);
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    assert_eq!(home.fresh("tidelog"), "tidelog 4.2.1\n");
    let stock = home.wyard(&["stock", "--json"]).ends(0).json();
    let state = |i: usize| (stock["tools"][i]["version"].clone(), stock["tools"][i]["in_service"].clone());
    assert_eq!(state(0), ("3.9".into(), false.into()));
    assert_eq!(state(1), ("4.2.1".into(), true.into()));
    home.wyard(&["register", "tidelog@3.9"]).ends(0);
    assert_eq!(home.fresh("tidelog"), "tidelog 3.9\n");
    home.wyard(&["check", "tidelog@4.2.1"]).ends(1).says("shadowed");
    home.wyard(&["unregister", "tidelog@4.2.1"]).ends(0).says("was not registered");
    assert_eq!(home.fresh("tidelog"), "tidelog 3.9\n", "the other version is left alone");
}

#[test]
fn reports_have_their_fields() {
    let home = Home::new();
    let empty = home.wyard(&["check", "--json"]).ends(0).json();
    assert_eq!((&empty["verdict"], &empty["tools"]), (&"good".into(), &serde_json::json!([])));
    home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--quiet"]).ends(0);
    let check = home.wyard(&["check", "--json"]).ends(0).json();
    let command = &check["tools"][0]["commands"][0];
    assert_eq!((&check["format"], &check["report"]), (&1.into(), &"check".into()));
    assert_eq!((&command["name"], &command["verdict"]), (&"tidelog".into(), &"good".into()));
    assert_eq!(command["answered_version"], "4.2.1");
    assert_eq!(command["caller_results"].as_array().unwrap().len(), if WINDOWS { 1 } else { 3 });
    assert_eq!(command["caller_results"][0]["proved"], true);

    let trace = home.wyard(&["trace", "tidelog", "--json"]).ends(0).json();
    let callers = trace["commands"][0]["callers"].as_array().unwrap();
    let of = |caller: &str, terminal: &str| {
        callers.iter().find(|c| c["caller"] == caller && c["terminal"] == terminal).unwrap().clone()
    };
    let new = of(SHELL, "new");
    assert_eq!((&new["proved"], &new["kind"]), (&true.into(), &"file".into()));
    assert_eq!(new["candidates"][0]["standing"], "winner");
    // On Windows the system's two folders come first.
    assert_eq!(new["candidates"][0]["entry_index"], if WINDOWS { 2 } else { 0 });
    let this = of(SHELL, "this");
    assert_eq!((&this["winner"], &this["kind"]), (&serde_json::Value::Null, &"none".into()));
    assert_eq!(this["findings"][0]["code"], "stale-terminal");
    // A program that starts another finds scripts, but no batch file by its bare name.
    let (other, winner) =
        if WINDOWS { ("createprocess", serde_json::Value::Null) } else { ("exec", new["winner"].clone()) };
    assert_eq!(of(other, "new")["winner"], winner);
}

#[test]
fn wrong_calls_are_answered() {
    let home = Home::new();
    for (call, code, text) in [
        (&["check", "nothing"][..], 2, "no tool called \"nothing\""),
        (&["unregister", "nothing"], 2, "no tool called"),
        (&["unregister", "../x"], 2, "no tool called"),
        (&["receive"], 2, "FILE"),
        (&["trace"], 2, "COMMAND"),
        (&["trace", "x", "--as", "nobody"], 2, "not a supported caller"),
        (&["trace", "x", "--as", if cfg!(windows) { "elevated" } else { "run" }], 2, "does not exist on this machine"),
        (&["trace", "no-such-command"], 1, "command not found"),
        (&["nonsense"], 2, "nonsense"),
        (&["stock"], 0, "No tools yet"),
        (&[], 0, "wyard receive FILE"),
    ] {
        home.wyard(call).ends(code).says(text);
    }
    let failed = home.wyard(&["check", "nothing", "--json"]).ends(2).json();
    assert_eq!((&failed["report"], &failed["exit_code"]), (&"error".into(), &2.into()));
    home.settings("shels = []\n");
    home.wyard(&["check"]).ends(4).says("settings.toml").says("shels");
}

#[test]
#[cfg_attr(windows, ignore = "aliases and functions come from startup files; on_windows has the rest")]
fn a_trace_tells_builtins_aliases_and_what_is_skipped() {
    let home = Home::new();
    home.write("home/.bashrc", "alias gauge='echo hi'\nebb() { :; }\n");
    let kind = |name: &str, which: &str| {
        let report = home.wyard(&["trace", name, "--terminal", which, "--as", "bash", "--json"]).json();
        report["commands"][0]["callers"]
            .as_array()
            .unwrap()
            .iter()
            .map(|c| c["kind"].as_str().unwrap().to_owned())
            .collect::<Vec<_>>()
    };
    // Two answers: interactive shells read .bashrc, and the login ones do not.
    assert_eq!(kind("gauge", "new"), ["none", "alias"]);
    assert_eq!(kind("ebb", "new"), ["none", "function"]);
    assert_eq!(kind("cd", "new"), ["builtin"]);
    assert_eq!(kind("cd", "this"), ["builtin"]);
    fs::create_dir_all(home.path("p/gauge")).unwrap();
    let path = format!("{}:/usr/bin", home.path("p").display());
    let mut call = home.command(&["trace", "gauge", "--terminal", "this", "--as", "exec", "--json"]);
    let report = crate::home::Ran::from(call.env("PATH", path).output().unwrap()).ends(1).json();
    let candidate = &report["commands"][0]["callers"][0]["candidates"][0];
    assert_eq!((&candidate["standing"], &candidate["reason"]), (&"skipped".into(), &"is-a-folder".into()));
}

#[test]
fn another_version_is_put_in_service_and_proved() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--home-variable", "TIDE_ROOT", "--stay"]).ends(0).says("good");
    let alone = (home.files(), home.registry(Scope::User));
    let beside = home.wyard(&["receive", &tidelog(&home, "4.1.0"), "--stay"]).ends(0);
    beside.says("tidelog@4.2.1 stays in use").says("wyard switch tidelog 4.1.0");
    assert_eq!((home.files(), home.registry(Scope::User)), alone, "no store is touched");
    let there = (home.files(), home.registry(Scope::User));
    home.wyard(&["switch", "tidelog", "4.1.0", "--dry-run"]).ends(0).says("tidelog@4.2.1 would no longer be in use");
    assert_eq!((home.files(), home.registry(Scope::User)), there);
    let report = home.wyard(&["switch", "tidelog", "4.1.0", "--json"]).ends(0).json();
    assert_eq!((&report["report"], &report["was"]), (&"switch".into(), &"4.2.1".into()));
    assert_eq!((&report["verdict"], &report["check"]["version"]), (&"good".into(), &"4.1.0".into()));
    assert_eq!(home.fresh("tidelog"), "tidelog 4.1.0\n");
    assert!(home.variable("TIDE_ROOT").ends_with("4.1.0"), "the variable of before, and no other");
    home.wyard(&["switch", "tidelog", "4.2.1"]).ends(0).says("tidelog@4.1.0 is no longer in use").says("is now in use");
    assert_eq!((home.files(), home.registry(Scope::User)), there, "and back: every byte is as before");
    for (arguments, words) in [
        (&["switch", "tidelog", "9"][..], "it has 4.1.0, 4.2.1"),
        (&["switch", "nobody", "1"], "no tool called"),
        (&["switch", "tidelog"], "VERSION"),
    ] {
        home.wyard(arguments).ends(2).says(words);
    }
}
