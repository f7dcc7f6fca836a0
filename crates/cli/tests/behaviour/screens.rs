//! What the commands print, whole. `SNAPSHOTS=overwrite cargo test` writes the texts anew.

use std::path::Path;
use std::process::{Command, Stdio};

use regex::Regex;
use snapbox::data::DataFormat;
use snapbox::{Assert, Data, Redactions};
use wagon_yard_core::os;
use wagon_yard_core::suggestion::typed_again;
use wagon_yard_core::system::System;

use crate::archives::{script, tidelog};
use crate::home::{Home, Ran, have};
use crate::trace::put;

/// What commands print one after the other, as in a terminal: held against the file of this name in `screens/`.
struct Screens<'a> {
    home: &'a Home,
    name: &'static str,
    text: String,
}

impl<'a> Screens<'a> {
    fn of(home: &'a Home, name: &'static str) -> Self {
        Self { home, name, text: String::new() }
    }

    /// Calls the program, and notes its exit status, its output and its errors.
    fn run(&mut self, arguments: &[&str]) {
        let ran = self.home.wyard(arguments);
        self.note(arguments, "", &format!("exit {}\n{}--- errors\n{}", ran.code, ran.out, ran.err));
    }

    /// The same on a terminal of so many columns, where output and errors are one.
    fn at_terminal(&mut self, columns: usize, arguments: &[&str]) {
        let program = env!("CARGO_BIN_EXE_wyard");
        let line =
            format!("stty rows 24 cols {columns}; exec '{program}' --quiet --color never {}", arguments.join(" "));
        let mut command = Command::new("script");
        command.args(["-qec", &line, "/dev/null"]).env_clear().env("HOME", self.home.path("home"));
        command.env("PATH", "/usr/local/bin:/usr/bin:/bin").env("TERM", "xterm").env("SHELL", "/bin/sh");
        command.env("WYARD_TEST_ROOT", self.home.path("own-root"));
        let ran = Ran::from(command.current_dir(self.home.path("")).stdin(Stdio::null()).output().unwrap());
        let text = format!("exit {}\n{}", ran.code, ran.out.replace('\r', ""));
        for line in text.lines() {
            // A path stays whole.
            assert!(line.chars().count() <= columns || !line.trim().contains(' '), "{arguments:?}: {line}");
        }
        self.note(arguments, &format!("  [{columns} columns]"), &text);
    }

    fn note(&mut self, arguments: &[&str], of: &str, text: &str) {
        let between = if self.text.is_empty() { "" } else { "\n" };
        let called = typed_again(System::Unix, arguments);
        self.text += &format!("{between}$ wyard {called}{of}\n{}\n", text.trim_end_matches('\n'));
    }

    fn compare(self) {
        let mut redactions = Redactions::new();
        let root = self.home.path("").to_string_lossy().trim_end_matches('/').to_owned();
        redactions.insert("[TEMP]", root).unwrap();
        redactions.insert("[SUM]", Regex::new("(?<redacted>[0-9a-f]{64})").unwrap()).unwrap();
        redactions.insert("[DURATION]", Regex::new("(?<redacted>[0-9]+ ms)").unwrap()).unwrap();
        redactions.insert("[TIME]", Regex::new("(?<redacted>[0-9]{4}-[0-9-]+ [0-9:]+ UTC)").unwrap()).unwrap();
        let file = Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("tests/behaviour/screens/{}.txt", self.name));
        let expected = Data::read_from(&file, Some(DataFormat::Text));
        Assert::new().action_env("SNAPSHOTS").redact_with(redactions).eq(self.text, expected);
    }
}

#[test]
fn a_tool_comes_and_goes() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    let mut screens = Screens::of(&home, "a_tool_comes_and_goes");
    screens.run(&["stock"]);
    screens.run(&["receive", &archive, "--dry-run"]);
    screens.run(&["receive", &archive]);
    screens.run(&["receive", &archive]);
    screens.run(&["check"]);
    screens.run(&["stock"]);
    screens.run(&["trace", "tidelog", "--terminal", "new"]);
    screens.run(&["unregister", "tidelog"]);
    screens.run(&["check", "tidelog", "--no-run"]);
    screens.run(&["retire", "tidelog"]);
    screens.run(&["history"]);
    screens.run(&["undo"]);
    screens.compare();
}

#[test]
fn an_older_copy_that_wins_is_shown() {
    let home = Home::new();
    let old = home.write("home/old/tidelog", script("3.9"));
    os::set_folder_mode(&old, 0o755).unwrap();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    home.write("home/.bashrc", "PATH=~/old:$PATH\n");
    let mut screens = Screens::of(&home, "an_older_copy_that_wins_is_shown");
    screens.run(&["check"]);
    screens.run(&["check", "--plain"]);
    screens.run(&["trace", "tidelog", "--terminal", "new"]);
    screens.compare();
}

#[test]
fn wrong_calls_name_the_next_step() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let mut screens = Screens::of(&home, "wrong_calls_name_the_next_step");
    screens.run(&["receive", "none.zip"]);
    screens.run(&["receive", "home"]);
    screens.run(&["check", "tidelgo"]);
    screens.run(&["switch", "tidelog", "5"]);
    screens.run(&["explain", "shadowd"]);
    screens.run(&["explain", "shadowed"]);
    screens.run(&["undo", "7"]);
    screens.run(&["path", "drop", "/nowhere"]);
    screens.run(&["trace", "ls", "--as", "run"]);
    screens.compare();
}

#[test]
fn what_was_not_run_is_not_said_to_work() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    for (options, says) in [(&[][..], "works in every"), (&["--no-run", "--replace"], "is found in every")] {
        home.wyard(&[&["receive", &archive][..], options].concat()).ends(0).says(says);
    }
    home.wyard(&["check", "--no-run"]).ends(0).says("; not run\n");
    assert!(!home.wyard(&["check"]).ends(0).out.contains("not run"));
}

#[test]
fn evidence_shows_question_and_answer_of_each_terminal() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    for command in [&["check"][..], &["trace", "tidelog"]] {
        let report = home.wyard(&[command, &["--evidence", "--json"]].concat()).ends(0).json();
        let evidence = report["evidence"].as_array().unwrap();
        let modes: Vec<_> =
            evidence.iter().map(|one| (one["mode"].as_str().unwrap(), one["typed"].is_string())).collect();
        assert_eq!(modes, [("login", true), ("interactive", true), ("login-command", false)]);
        for one in evidence {
            let text = |key: &str| one[key].as_str().unwrap_or_default().to_owned();
            assert!(text("question").contains("tidelog") && text("program").ends_with("bash"), "{one}");
            assert!(text("answer").contains("stock/tidelog/4.2.1/bin/tidelog"), "{one}");
        }
        assert!(home.wyard(&[command, &["--json"]].concat()).ends(0).json().get("evidence").is_none());
        home.wyard(&[command, &["--evidence"]].concat())
            .ends(0)
            .says("called -bash, on its own terminal")
            .says("\nanswer ");
    }
}

#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "the program that opens a terminal is called otherwise elsewhere")]
fn narrow_terminals_get_a_form_of_their_own() {
    if !have("script") {
        return;
    }
    let home = Home::new();
    for version in ["4.1.0", "4.2.1"] {
        home.wyard(&["receive", &tidelog(&home, version)]).ends(0);
    }
    let mut screens = Screens::of(&home, "narrow_terminals_get_a_form_of_their_own");
    for arguments in [
        &["check"][..],
        &["stock"],
        &["trace", "tidelog", "--terminal", "new"],
        &["explain", "shadowed"],
        &["undo", "--dry-run"],
        &["switch", "tidelog", "4.1.0", "--dry-run"],
        &["check", "tideolg"],
    ] {
        for columns in [40, 80] {
            screens.at_terminal(columns, arguments);
        }
    }
    screens.compare();
}

#[test]
fn the_other_commands_and_what_they_refuse() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    put(&home, "home/harbour/shoal-2.0.3/bin/shoal", &script("shoal 2.0.3"));
    home.write("home/notes.txt", "high water at noon\n");
    let mut screens = Screens::of(&home, "the_other_commands_and_what_they_refuse");
    screens.run(&["unpack", &archive, "--into", "charts"]);
    screens.run(&["unpack", &archive, "--into", "charts"]);
    // The place is the machine's.
    home.wyard(&["adopt", "home/harbour/shoal-2.0.3"]).ends(0);
    screens.run(&["adopt", "home/notes.txt"]);
    screens.run(&["unregister", "shoal"]);
    screens.run(&["register", "shoal"]);
    screens.run(&["register", "ebb"]);
    screens.run(&["inspect", "home/notes.txt"]);
    screens.run(&["trial", "shoal"]);
    screens.run(&["trial", "add", "shoal", "--title", "soundings", "--run", "shoal", "--prints", "fathoms"]);
    screens.run(&["trial", "shoal"]);
    screens.run(&["retire", "ebb"]);
    screens.run(&["history", "9"]);
    screens.run(&["stock", "--mend"]);
    screens.compare();
}

#[test]
fn a_folder_of_downloads_is_listed() {
    let home = Home::new();
    for version in ["4.1.0", "4.2.1", "4.10.0"] {
        tidelog(&home, version);
    }
    std::fs::create_dir(home.path("folder")).unwrap();
    for name in ["tidelog-4.1.0.zip", "tidelog-4.2.1.zip", "tidelog-4.10.0.zip"] {
        std::fs::rename(home.path(name), home.path("folder").join(name)).unwrap();
    }
    home.wyard(&["receive", "folder/tidelog-4.2.1.zip"]).ends(0);
    put(&home, "folder/shoal-2.0.3", &script("shoal 2.0.3"));
    home.write("folder/tidelog-4.2.1.zip.sha256", "0".repeat(64));
    home.write("folder/ebb-1.0.zip", "PK\x03\x04 and no more");
    home.write("folder/neap-1.0.zip", "<html><title>Sign in</title></html>");
    let mut screens = Screens::of(&home, "a_folder_of_downloads_is_listed");
    screens.run(&["inspect", "folder"]);
    home.wyard(&["inspect", "folder", "--json"]).ends(0).json();
    screens.run(&["inspect", "home"]);
    screens.compare();
}
