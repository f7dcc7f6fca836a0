//! `survey` and `explain`.

use std::ffi::OsString;
use std::fs;

use wagon_yard_core::os;

use crate::archives::{script, tidelog};
use crate::home::{Home, Ran, program};

#[test]
fn entries_are_told_for_what_they_are() {
    let home = Home::new();
    let put = |folder: &str, name: &str, version: &str| {
        let made = home.write(&format!("{folder}/{}", program(name)), script(version));
        os::set_folder_mode(&made, 0o755).unwrap();
        os::set_folder_mode(made.parent().unwrap(), 0o755).unwrap();
    };
    put("one", "tidelog", "4.2.1");
    put("two", "tidelog", "3.9");
    put("root/bin", "shoal", "2.0");
    fs::write(home.path("file"), "").unwrap();
    let entries = ["one", "two", "one", "root", "none", "file"].map(|name| home.path(name));
    let path: OsString = std::env::join_paths(&entries).unwrap();
    let survey = |more: &[&str]| {
        let mut command = home.command(&[&["survey", "--terminal", "this"][..], more].concat());
        command.env("PATH", &path);
        Ran::from(command.output().unwrap())
    };
    let report = survey(&["--json"]).ends(0).json();
    assert_eq!((&report["format"], &report["report"]), (&1.into(), &"survey".into()));
    let entries = report["scopes"][0]["entries"].as_array().unwrap();
    // All of them lie in a folder for temporary files.
    let codes = |at: usize| -> Vec<&str> {
        let codes = entries[at]["findings"].as_array().unwrap().iter().map(|f| f["code"].as_str().unwrap());
        codes.filter(|code| *code != "cleaned-place").collect()
    };
    let seen: Vec<_> = (0..entries.len()).map(codes).collect();
    let none: &[&str] = &[];
    assert_eq!(seen, [none, none, &["duplicate-entry"], &["bin-below"], &["folder-missing"], &["not-a-folder"]]);
    assert_eq!((&entries[0]["commands"], &entries[4]["exists"]), (&1.into(), &false.into()));
    assert_eq!(report["findings"][0]["code"], "hides-other");
    survey(&[]).ends(0).says("PATH of this terminal: 6 entries, 2 commands").says("wyard path add").says("wyard trace");
    let mut nothing = home.command(&["survey", "--terminal", "this"]);
    Ran::from(nothing.env("PATH", "").output().unwrap()).ends(1).says("PATH is empty");
    survey(&["--fail-on", "caution"]).ends(1);
    survey(&["--fail-on", "nothing"]).ends(2);
}

#[test]
#[cfg_attr(windows, ignore = "it is startup files that undo us")]
fn what_undoes_a_received_tool_is_told() {
    let home = Home::new();
    home.settings("shells = [\"bash\"]\n");
    home.write("home/.profile", "# mine\n");
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    home.wyard(&["survey"]).says("PATH of a new terminal").ends(0);
    let old = home.write("home/old/tidelog", script("3.9"));
    os::set_folder_mode(&old, 0o755).unwrap();
    os::set_folder_mode(old.parent().unwrap(), 0o777).unwrap();
    // Only one of the ways of starting the shell is spoiled.
    let interactive = fs::read_to_string(home.path("home/.bashrc")).unwrap_or_default();
    home.write("home/.bashrc", format!("{interactive}\nshopt -q login_shell || PATH=~/old:$PATH\n"));
    home.wyard(&["survey"]).ends(1).says("path-differs").says("tidelog: ");
    home.write("home/.bashrc", interactive);
    let more = "PATH=~/old:$PATH\nexport TIDELOG_HOME=/opt/old\n";
    let profile = fs::read_to_string(home.path("home/.profile")).unwrap();
    home.write("home/.profile", format!("{profile}{more}"));
    home.wyard(&["survey"])
        .ends(1)
        .says("tidelog: ")
        .says("TIDELOG_HOME is /opt/old; expected")
        .says("another user can put programs into");
}

#[test]
fn findings_are_explained() {
    let home = Home::new();
    home.wyard(&["explain", "folder-missing"]).ends(0).says("cause").says("a caution");
    let report = home.wyard(&["explain", "shadowed", "--json"]).ends(0).json();
    assert_eq!((&report["report"], &report["severity"]), (&"explain".into(), &"problem".into()));
    home.wyard(&["explain", "none-such"]).ends(2).says("findings are: not-found");
}

#[test]
fn mixed_copies_and_wrong_variables_are_told() {
    let home = Home::new();
    let put = |folder: &str, name: &str| {
        let made = home.write(&format!("{folder}/{}", program(name)), script(folder));
        os::set_folder_mode(&made, 0o755).unwrap();
        os::set_folder_mode(made.parent().unwrap(), 0o755).unwrap();
    };
    put("old", "tidelog");
    for name in ["tidelog", "tidelogc"] {
        put("new/bin", name);
    }
    let entries = ["old", "new", "new/bin"].map(|name| home.path(name));
    let mut command = home.command(&["survey", "--terminal", "this", "--json"]);
    command.env("PATH", std::env::join_paths(&entries).unwrap()).env("TIDELOG_HOME", home.path("new"));
    let report = Ran::from(command.output().unwrap()).ends(0).json();
    let codes = |findings: &serde_json::Value| -> Vec<String> {
        findings.as_array().unwrap().iter().map(|f| f["code"].as_str().unwrap().to_owned()).collect()
    };
    let found = codes(&report["findings"]);
    for code in ["companions-split", "home-variable-other", "hides-other"] {
        assert!(found.iter().any(|found| found == code), "{code}: {found:?}");
    }
    assert!(codes(&report["scopes"][0]["entries"][1]["findings"]).contains(&"root-and-bin".to_owned()));
    let split = report["findings"].as_array().unwrap().iter().find(|f| f["code"] == "companions-split").unwrap();
    assert!(
        split["remedy"].as_str().unwrap().contains("wyard path move") && !split["why"].as_str().unwrap().is_empty()
    );
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn the_line_that_undoes_a_registration_is_named() {
    let home = Home::with(&["bash"]);
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    home.wyard(&["survey"]).ends(0);
    let bashrc = fs::read_to_string(home.path("home/.bashrc")).unwrap();
    let lines = bashrc.lines().count();
    home.write("home/.bashrc", format!("{bashrc}PATH=/usr/bin:/bin\n"));
    home.wyard(&["survey"]).ends(1).says(&format!("line {} of ", lines + 1)).says("[startup-undoes]");
    home.write("home/.bashrc", format!("alias tidelog='tidelog --quiet'\nPATH=$PATH:/usr/games\n{bashrc}"));
    let told = home.wyard(&["survey"]).ends(1).says("line 1 of ").says("makes tidelog an alias");
    assert!(!told.out.contains("line 2 of"), "before our block PATH may be set: {}", told.out);
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn a_slow_shell_holds_no_other_up_and_is_told() {
    let home = Home::with(&["bash", "dash"]);
    home.write("home/.bashrc", "sleep 1.2\n");
    home.wyard(&["survey", "--json"]).says("a new terminal of bash (interactive) takes ");
}
