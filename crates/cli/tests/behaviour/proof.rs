//! What a check shows of a tool as a whole, and trials.

use std::fs;

use serde_json::Value;
use wagon_yard_core::os;

use crate::archives::{script, tidelog, tidelog_that, zip};
use crate::home::{Home, Ran, WINDOWS, have_layers, program};

/// A tool of several programs, received.
fn received(home: &Home, name: &str, version: &str, programs: &[(&str, &str)]) -> Ran {
    let paths: Vec<String> = programs.iter().map(|(typed, _)| format!("w/bin/{}", program(typed))).collect();
    let files: Vec<(&str, &str, u32)> =
        paths.iter().zip(programs).map(|(path, (_, content))| (path.as_str(), *content, 0o755)).collect();
    let archive = zip(&home.path(&format!("{name}-{version}.zip")), &files);
    home.wyard(&["receive", archive.to_str().unwrap(), "--json"])
}

fn codes(tool: &Value) -> Vec<&str> {
    let of_commands = tool["commands"].as_array().unwrap().iter().flat_map(|c| c["findings"].as_array().unwrap());
    let all = of_commands.chain(tool["findings"].as_array().unwrap());
    all.map(|finding| finding["code"].as_str().unwrap()).collect()
}

#[test]
fn companions_that_disagree_are_told() {
    let home = Home::new();
    let report = received(&home, "tidelog", "4.2.1", &[("tidelog", &script("4.2.1")), ("tidelogc", &script("4.1.0"))]);
    let check = report.ends(0).json()["check"].clone();
    assert_eq!(check["verdict"], "good", "what comes along has a version of its own");
    assert!(codes(&check).contains(&"version-of-its-own"), "{check}");
    // Without a command of the tool's name those count that share most of its version.
    let home = Home::new();
    let programs = [("snek3", &*script("3.99.0")), ("snekpack", &script("99.1"))];
    received(&home, "snek", "3.99", &programs).ends(0);
    home.wyard(&["check", "snek", "--expect", "99.1"]).ends(0);
    home.wyard(&["check", "snek", "--expect", "99.2"]).ends(1).says("wrong-version");
    let home = Home::new();
    let report = received(&home, "tidelog", "4.2.1", &[("tidelog", &script("4.1.0")), ("tidelogc", &script("4.2.1"))]);
    assert_eq!(report.ends(1).json()["check"]["verdict"], "wrong-version");
    // Another copy in front of one of them.
    let home = Home::new();
    received(&home, "tidelog", "4.2.1", &[("tidelog", &script("4.2.1")), ("tidelogc", &script("4.2.1"))]).ends(0);
    if !WINDOWS {
        fs::create_dir(home.path("old")).unwrap();
        let old = home.write("old/tidelogc", script("3.9"));
        fs::set_permissions(&old, fs::metadata("/bin/sh").unwrap().permissions()).unwrap();
        let bashrc = fs::read_to_string(home.path("home/.bashrc")).unwrap();
        let line = format!("{bashrc}PATH={}:$PATH\n", home.path("old").display());
        home.write("home/.bashrc", line);
        home.wyard(&["check"]).ends(1).says("[companions-split]").says("[shadowed]");
        home.wyard(&["stock"]).ends(0).says("tidelogc: ");
    }
}

#[test]
fn what_a_tool_needs_is_looked_at() {
    let mut home = Home::new();
    received(&home, "tidelog", "4.2.1", &[("tidelog", &script("4.2.1"))]).ends(0);
    let needs = ["check", "tidelog", "--requires-command", "driftc", "--requires-variable", "BUOY_DATA"];
    let told = home.wyard(&needs).ends(1).says("needs driftc").says("not-found").says("[requirement-missing]");
    told.says("the variable BUOY_DATA (not set)");
    // It is kept, and holds once what is needed is there.
    home.wyard(&["check", "tidelog", "--requires-command", "driftc"]).ends(1);
    received(&home, "driftc", "0.9", &[("driftc", &script("0.9"))]).ends(0);
    let report = home.wyard(&["check", "tidelog", "--json"]).ends(0).json();
    assert_eq!(report["tools"][0]["requirements"][0]["verdict"], "good");
    home.wyard(&["check", "tidelog", "--requires-nothing"]).ends(0);
    home.wyard(&["check", "--requires-nothing"]).ends(2);
    // A required command that is there and does not start is no better than none.
    if !WINDOWS {
        received(&home, "neap", "1.0", &[("neap", "#!/bin/sh\nkill -SEGV $$\n")]).ends(1);
        let told = home.wyard(&["check", "tidelog", "--requires-command", "neap"]).ends(1);
        told.says("tidelog needs the command neap").says("it crashed");
        home.variables.insert("BUOY_DATA".to_owned(), "here only".to_owned());
        home.wyard(&["check", "tidelog", "--requires-variable", "BUOY_DATA"]).ends(1).says("(not set)");
        // A shell that keeps it to itself hands it to no program.
        home.wyard(&["check", "tidelog", "--requires-nothing"]).ends(0);
        for (line, code) in [("BUOY_DATA=/data", 1), ("export BUOY_DATA=/data", 0)] {
            for file in ["home/.profile", "home/.bashrc"] {
                let text = fs::read_to_string(home.path(file)).unwrap_or_default();
                home.write(file, format!("{line}\n{text}"));
            }
            home.wyard(&["check", "tidelog", "--requires-variable", "BUOY_DATA"]).ends(code);
        }
    }
}

#[test]
#[cfg_attr(windows, ignore = "what it counts is how often a shell script was started")]
fn the_form_that_worked_is_remembered() {
    let home = Home::new();
    let answering = "#!/bin/sh\n[ \"$1\" = version ] && echo tidelog 4.2.1\n[ \"$1\" = version ]\n";
    let starts = |arguments: &[&str]| {
        let ran = home.wyard(&[arguments, &["-vv"]].concat()).ends(0);
        ran.err.lines().filter(|line| line.contains("start request.program") && line.contains("bin/tidelog\"")).count()
    };
    let archive = tidelog_that(&home, "4.2.1", answering);
    // Once in each context: at a terminal, without one, and where login shells have other variables there too.
    let first = starts(&["receive", &archive]);
    let again = starts(&["check"]);
    assert!(again >= 2, "{again}");
    assert_eq!(first, 3 * again, "--version, -version, version; then the form that worked is the first one");
    assert_eq!(starts(&["check", "--no-run"]), 0);
}

#[test]
#[cfg_attr(windows, ignore = "the system's other folders are those of Unix")]
fn commands_that_are_not_ours_can_be_checked() {
    let home = Home::new();
    for (name, content) in [("good", script("1.0")), ("bad", "#!/no/such/run\n".to_owned())] {
        let file = home.write(&format!("tools/{name}"), content);
        fs::set_permissions(&file, fs::metadata("/bin/sh").unwrap().permissions()).unwrap();
    }
    home.write("home/.profile", format!("PATH={}:$PATH\n", home.path("tools").display()));
    home.write("home/.bashrc", format!("PATH={}:$PATH\n", home.path("tools").display()));
    let report = home.wyard(&["check", "--all-path", "--json"]).ends(1).json();
    let tools = report["tools"].as_array().unwrap();
    let tool = tools.iter().find(|t| t["name"] == home.path("tools").to_str().unwrap()).unwrap();
    let verdicts: Vec<&str> =
        tool["commands"].as_array().unwrap().iter().map(|c| c["verdict"].as_str().unwrap()).collect();
    assert_eq!(verdicts, ["does-not-start", "good"]);
    assert!(tools.iter().all(|t| t["name"] != "/usr/bin"), "what came with the system is not started");
    home.wyard(&["check", "--all-path"]).ends(1).says("[interpreter-missing]");
    home.wyard(&["check", "--all-path", "--no-run"]).ends(0);
}

/// A trial by options, and what comes of it.
fn tried(home: &Home, options: &[&str]) -> Value {
    home.wyard(&[&["trial", "add", "tidelog", "--title", "t"], options].concat()).ends(0);
    home.wyard(&["trial", "tidelog", "--json"]).json()
}

#[test]
#[cfg_attr(windows, ignore = "the work is done by shell commands; the demo has trials on Windows")]
fn trials_do_real_work_and_tell_where_it_fails() {
    let home = Home::new();
    let tool = "#!/bin/sh\ncase $1 in --version) echo tidelog 4.2.1;; *) shift 0; eval \"$*\";; esac\n";
    home.wyard(&["receive", &tidelog_that(&home, "4.2.1", tool)]).ends(0);
    home.wyard(&["trial", "tidelog"]).ends(2).says("has no trials").says("trial add tidelog");
    let day = home.write("day.csv", "time,level\n00:00,1.21\n").to_str().unwrap().to_owned();
    // Options; whether it passes; what was expected.
    let cases: [(&[&str], Option<&str>); 17] = [
        (&["--file", &day, "--run", "tidelog cat day.csv", "--prints", "1.21"], None),
        (&["--run", "tidelog echo 42", "--matches", "^4[0-9]$"], Some("output that matches ^4[0-9]$")),
        (&["--run", "tidelog echo 42", "--matches", "(?m)^4[0-9]$"], None),
        (&["--run", "tidelog echo tide", "--prints", "42"], Some("output with \"42\"")),
        (&["--run", "tidelog exit 3"], Some("exit status 0")),
        (&["--run", "tidelog exit 3", "--status", "3"], None),
        (&["--run", "tidelog true", "--leaves", "out"], Some("the file out")),
        (&["--run", "tidelog '> out'", "--leaves", "out"], Some("content in the file out")),
        (&["--run", "tidelog 'echo 41 > out'", "--leaves", "out=42"], Some("the file out with \"42\"")),
        (&["--run", "tidelog 'echo 42 > out'", "--leaves", "out=42"], None),
        (&["--run", "tidelog 'echo 42 > out'", "--run", "tidelog cat out", "--prints", "42"], None),
        (&["--run", "tidelog 'echo \\#!/bin/sh > p; echo echo 42 >> p; chmod +x p'", "--leaves-program", "p=42"], None),
        (
            &["--run", "tidelog 'echo \\#!/bin/sh > p; echo echo 41 >> p; chmod +x p'", "--leaves-program", "p=42"],
            Some("the file p to run and print \"42\""),
        ),
        (&["--run", "no-such-tool x"], Some("the command no-such-tool")),
        (&["--run", "./nothing"], Some("the program ./nothing")),
        (&["--run", "tidelog pwd", "--prints", "wyard-"], None),
        (&["--run", "tidelog 'echo $TIDELOG_HOME'", "--prints", "tidelog/4.2.1"], None),
    ];
    for (options, fails) in cases {
        let report = tried(&home, options);
        let unmet = &report["trials"][0]["steps"].as_array().unwrap().last().unwrap()["unmet"];
        assert_eq!(report["passed"], fails.is_none(), "{options:?}: {report:#}");
        assert_eq!(unmet[0]["expected"].as_str(), fails, "{options:?}");
    }
    // Where it failed is told, with what came, and the folder stays when that is wanted.
    tried(&home, &["--run", "tidelog 'echo low > out'", "--run", "tidelog false"]);
    let told = home.wyard(&["trial", "tidelog", "--keep"]).ends(1).says("failed  t").says("came     status 1");
    let kept = told.out.split("kept").nth(1).unwrap().trim().lines().next().unwrap().to_owned();
    assert_eq!(fs::read_to_string(format!("{kept}/out")).unwrap(), "low\n");
    fs::remove_dir_all(kept).unwrap();
    home.settings("shells = [\"bash\"]\ntrial_seconds = 1\n");
    tried(&home, &["--run", "tidelog 'echo begun; sleep 100'"]);
    home.wyard(&["trial", "tidelog"]).ends(1).says("an end within 1 s").says("\"begun\"");
    home.settings("shells = [\"bash\"]\ntrial_seconds = 60\n");
    // What it writes is passed on while it runs, and control characters are not.
    tried(&home, &["--run", "tidelog 'printf \"\\033[31mred\"'"]);
    let ran = home.wyard(&["trial", "tidelog", "--show-output"]).ends(0).says("\\u{1b}[31mred");
    assert!(!ran.err.contains('\u{1b}'));
    home.wyard(&["trial", "drop", "tidelog", "t"]).ends(0).says("no trial");
    home.wyard(&["trial", "drop", "tidelog", "t"]).ends(2).says("no trial called");
}

#[test]
fn a_trial_that_cannot_be_is_refused() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let big = home.write("big.txt", vec![b'x'; 70_000]).to_str().unwrap().to_owned();
    for (options, code, says) in [
        (&["--run", "tidelog", "--leaves", "../out"][..], 2, "which is outside its folder"),
        (&["--run", "tidelog", "--matches", "("], 2, "invalid expression"),
        (&["--run", "tidelog 'x"], 2, "unclosed quote"),
        (&["--run", "tidelog", "--file", "no-such-file"], 3, "no-such-file"),
        (&["--run", "tidelog", "--file", &big], 3, "64 KiB"),
        (&[], 2, "--run"),
    ] {
        home.wyard(&[&["trial", "add", "tidelog", "--title", "t"], options].concat()).ends(code).says(says);
    }
    home.wyard(&["trial"]).ends(2);
    home.wyard(&["trial", "add", "shoal", "--title", "t", "--run", "x"]).ends(2).says("no tool called");
    home.wyard(&["trial", "tidelog"]).ends(2);
}

#[test]
#[cfg_attr(windows, ignore = "a shell of Unix")]
fn where_a_shell_and_its_rules_disagree_nothing_is_good() {
    if !have_layers() {
        return;
    }
    let home = Home::with(&["bash", "sh"]);
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let old = home.write("home/old/tidelog", script("3.9"));
    os::set_folder_mode(&old, 0o755).unwrap();
    let ours = home.yard().join("stock/tidelog/4.2.1/bin/tidelog");
    let bashrc = fs::read_to_string(home.path("home/.bashrc")).unwrap();
    let remembered = format!("{bashrc}\nPATH=~/old:$PATH\nhash -p {} tidelog\n", ours.display());
    fs::write(home.path("home/.bashrc"), remembered).unwrap();
    home.wyard(&["check", "tidelog"]).ends(1).says("but its lookup rules give").says("[not-proven]");
}
