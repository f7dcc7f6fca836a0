//! What the commands print, whole. `SNAPSHOTS=overwrite cargo test` writes the texts anew.

use std::process::{Command, Stdio};

use regex::Regex;
use snapbox::data::Inline;
use snapbox::{Assert, Redactions, str};
use wagon_yard_core::os;

use crate::archives::{script, tidelog};
use crate::home::{Home, Ran, have};
use crate::trace::put;

/// Calls the program, and compares its exit status, its output and its errors.
fn screen(home: &Home, arguments: &[&str], expected: Inline) {
    let ran = home.wyard(arguments);
    let text = format!("exit {}\n{}--- errors\n{}", ran.code, ran.out, ran.err);
    compare(home, text, expected);
}

/// The same on a terminal of so many columns, where output and errors are one.
fn terminal(home: &Home, columns: usize, arguments: &[&str], expected: Inline) {
    let program = env!("CARGO_BIN_EXE_wyard");
    let line = format!("stty rows 24 cols {columns}; exec '{program}' --quiet --color never {}", arguments.join(" "));
    let mut command = Command::new("script");
    command.args(["-qec", &line, "/dev/null"]).env_clear().env("HOME", home.path("home"));
    command.env("PATH", "/usr/local/bin:/usr/bin:/bin").env("TERM", "xterm").env("SHELL", "/bin/sh");
    command.env("WYARD_TEST_ROOT", home.path("own-root"));
    let ran = Ran::from(command.current_dir(home.path("")).stdin(Stdio::null()).output().unwrap());
    let text = format!("exit {}\n{}", ran.code, ran.out.replace('\r', ""));
    for line in text.lines() {
        // A path stays whole.
        assert!(line.chars().count() <= columns || !line.trim().contains(' '), "{arguments:?}: {line}");
    }
    compare(home, text, expected);
}

fn compare(home: &Home, text: String, expected: Inline) {
    let mut redactions = Redactions::new();
    redactions.insert("[TEMP]", home.path("").to_string_lossy().trim_end_matches('/').to_owned()).unwrap();
    redactions.insert("[SUM]", Regex::new("(?<redacted>[0-9a-f]{64})").unwrap()).unwrap();
    redactions.insert("[DURATION]", Regex::new("(?<redacted>[0-9]+ ms)").unwrap()).unwrap();
    redactions.insert("[TIME]", Regex::new("(?<redacted>[0-9]{4}-[0-9-]+ [0-9:]+ UTC)").unwrap()).unwrap();
    Assert::new().action_env("SNAPSHOTS").redact_with(redactions).eq(text, expected);
}

#[test]
fn a_tool_comes_and_goes() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    screen(
        &home,
        &["stock"],
        str![[r#"
exit 0
yard ~/.local/share/wagon-yard

No tools yet. To add one: wyard receive FILE
--- errors

"#]],
    );
    screen(
        &home,
        &["receive", &archive, "--dry-run"],
        str![[r#"
exit 0
identify  zip archive, 305 B
checksum  SHA-256 not compared [SUM]
layout    tidelog 4.2.1; wrapper folder tidelog-4.2.1 removed; 1 command in bin: tidelog
unpack    2 files, 37 B would go into ~/.local/share/wagon-yard/stock/tidelog/4.2.1
register  1 command folder would be first in the user's PATH, TIDELOG_HOME set; would be created: .profile, .bashrc

Dry run: nothing was changed.
--- errors

"#]],
    );
    screen(
        &home,
        &["receive", &archive],
        str![[r#"
exit 0
identify  zip archive, 305 B
checksum  SHA-256 not compared [SUM]
layout    tidelog 4.2.1; wrapper folder tidelog-4.2.1 removed; 1 command in bin: tidelog
unpack    2 files, 37 B in ~/.local/share/wagon-yard/stock/tidelog/4.2.1
register  1 command folder first in the user's PATH, TIDELOG_HOME set; made .profile, .bashrc
check     good: 1 of 1 command, verified in 3 terminals

  command  runs      version  terminals  verdict
  tidelog  this one  4.2.1    bash       good

tidelog 4.2.1 works in every new terminal.
Open a new terminal, then run: tidelog
--- errors

"#]],
    );
    screen(
        &home,
        &["receive", &archive],
        str![[r#"
exit 3
identify  zip archive, 305 B
--- errors
wyard: tidelog@4.2.1 is already in the yard
  next:    to check it: wyard check tidelog@4.2.1; to replace it: --replace

"#]],
    );
    screen(
        &home,
        &["check"],
        str![[r#"
exit 0
1 tool, 1 command: all good, verified in 3 terminals

  tool           command  runs      version  terminals  verdict
  tidelog 4.2.1  tidelog  this one  4.2.1    bash       good
--- errors

"#]],
    );
    screen(
        &home,
        &["stock"],
        str![[r#"
exit 0
1 tool in ~/.local/share/wagon-yard: all run in new terminals

  tool     version  state   registered  new terminals run  commands
  tidelog  4.2.1    in use  user        this one           tidelog
--- errors

"#]],
    );
    screen(
        &home,
        &["trace", "tidelog", "--terminal", "new"],
        str![[r#"
exit 0
tidelog  ~/.local/share/wagon-yard/stock/tidelog/4.2.1/bin/tidelog (new terminals)
  asked      bash
  predicted  exec
--- errors

"#]],
    );
    screen(
        &home,
        &["unregister", "tidelog"],
        str![[r#"
exit 0
tidelog@4.2.1 unregistered; it stays in the yard; deleted, as nothing else was in it: .profile, .bashrc
Open terminals are unchanged: open a new one.
--- errors

"#]],
    );
    screen(
        &home,
        &["check", "tidelog", "--no-run"],
        str![[r#"
exit 1
1 tool, 1 command: not good, verified in 3 terminals; not run

  tool           command  runs  version  terminals  verdict
  tidelog 4.2.1  tidelog  -     -        bash 0/3   not-found

  problem  tidelog: command not found in a new terminal: bash [not-found]
  do       run 'wyard register tidelog'
--- errors

"#]],
    );
    screen(
        &home,
        &["retire", "tidelog"],
        str![[r#"
exit 0
retire   tidelog@4.2.1 removed; startup files unchanged
         its folder is kept for 30 days in ~/.local/share/wagon-yard/retired/tidelog@4.2.1.3
         to undo: wyard undo 3
--- errors

"#]],
    );
    screen(
        &home,
        &["history"],
        str![[r#"
exit 0
3        retire tidelog@4.2.1
         [TIME]   wyard retire tidelog
         ~/.local/share/wagon-yard/cards/tidelog/4.2.1.toml removed
         ~/.local/share/wagon-yard/stock/tidelog/4.2.1 moved to ~/.local/share/wagon-yard/retired/tidelog@4.2.1.3

2        unregister tidelog 4.2.1
         [TIME]   wyard unregister tidelog
         ~/.local/share/wagon-yard/cards/tidelog/4.2.1.toml changed
         ~/.profile removed
         ~/.bashrc removed

1        receive tidelog 4.2.1
         [TIME]   wyard receive [TEMP]/tidelog-4.2.1.zip
         ~/.local/share/wagon-yard/cards/tidelog/4.2.1.toml made
         ~/.profile made
         ~/.bashrc made
         ~/.local/share/wagon-yard/stock/tidelog/4.2.1 filled
--- errors

"#]],
    );
    screen(
        &home,
        &["undo"],
        str![[r#"
exit 0
undo     undid change 3: retire tidelog@4.2.1
         ~/.local/share/wagon-yard/retired/tidelog@4.2.1.3 moved to ~/.local/share/wagon-yard/stock/tidelog/4.2.1
         ~/.local/share/wagon-yard/cards/tidelog/4.2.1.toml made
         to redo: wyard undo 4
--- errors

"#]],
    );
}

#[test]
fn an_older_copy_that_wins_is_shown() {
    let home = Home::new();
    let old = home.write("home/old/tidelog", script("3.9"));
    os::set_folder_mode(&old, 0o755).unwrap();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    home.write("home/.bashrc", "PATH=~/old:$PATH\n");
    screen(
        &home,
        &["check"],
        str![[r#"
exit 1
1 tool, 1 command: not good, verified in 3 terminals

  tool           command  runs           version  terminals  verdict
  tidelog 4.2.1  tidelog  ~/old/tidelog  3.9      bash 2/3   shadowed

  problem  tidelog is ~/old/tidelog in a new terminal: bash (interactive) [shadowed]
  do       run 'wyard trace tidelog' to see what puts it first
  problem  TIDELOG_HOME is not set in a new terminal; expected ~/.local/share/wagon-yard/stock/tidelog/4.2.1: bash (interactive) [home-variable-differs]
  do       run 'wyard survey': it names the line that sets it, or 'wyard register tidelog'
--- errors

"#]],
    );
    screen(
        &home,
        &["check", "--plain"],
        str![[r#"
exit 1
1 tool, 1 command: not good, verified in 3 terminals

tool: tidelog 4.2.1
command: tidelog
runs: ~/old/tidelog
version: 3.9
terminals: bash 2/3
verdict: shadowed

problem tidelog is ~/old/tidelog in a new terminal: bash (interactive) [shadowed]
do run 'wyard trace tidelog' to see what puts it first
problem TIDELOG_HOME is not set in a new terminal; expected ~/.local/share/wagon-yard/stock/tidelog/4.2.1: bash (interactive) [home-variable-differs]
do run 'wyard survey': it names the line that sets it, or 'wyard register tidelog'
--- errors

"#]],
    );
    screen(
        &home,
        &["trace", "tidelog", "--terminal", "new"],
        str![[r#"
exit 0
tidelog  ~/.local/share/wagon-yard/stock/tidelog/4.2.1/bin/tidelog (new terminals: exec, bash (login, login-command))
         ~/old/tidelog (new terminals: bash (interactive))
  asked      bash
  predicted  exec

  problem  tidelog is ~/old/tidelog, which comes before the received one [shadowed]
--- errors

"#]],
    );
}

#[test]
fn wrong_calls_name_the_next_step() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    screen(
        &home,
        &["receive", "none.zip"],
        str![[r#"
exit 2
--- errors
wyard: no such file: none.zip

"#]],
    );
    screen(
        &home,
        &["receive", "home"],
        str![[r#"
exit 3
--- errors
wyard: home is a folder
  next:    to record a tool that is already unpacked: wyard adopt FOLDER

"#]],
    );
    screen(
        &home,
        &["check", "tidelgo"],
        str![[r#"
exit 2
--- errors
wyard: no tool called "tidelgo" in the yard
  next:    did you mean tidelog?

"#]],
    );
    screen(
        &home,
        &["switch", "tidelog", "5"],
        str![[r#"
exit 2
--- errors
wyard: tidelog has no version "5" in the yard; it has 4.2.1

"#]],
    );
    screen(
        &home,
        &["explain", "shadowd"],
        str![[r#"
exit 2
--- errors
wyard: no finding called "shadowd"
  next:    did you mean shadowed?

"#]],
    );
    screen(
        &home,
        &["explain", "shadowed"],
        str![[r#"
exit 0
shadowed, a problem

  means       Another program with the same name comes earlier in PATH and runs instead.
  matters     The command runs a different program than the one you installed.
  cause       An older copy was installed by hand or by an installer, or a startup file puts its folder first.
  do          Run 'wyard trace COMMAND' to list the copies in order. Remove the other copy, or remove its folder from PATH.
  example     wyard trace tidelog   # tidelog 3.9 in ~/old/bin comes first
--- errors

"#]],
    );
    screen(
        &home,
        &["undo", "7"],
        str![[r#"
exit 2
--- errors
wyard: no change 7
  next:    to list the changes: wyard history

"#]],
    );
    screen(
        &home,
        &["path", "drop", "/nowhere"],
        str![[r#"
exit 2
--- errors
wyard: /nowhere is not in the PATH of a new terminal
  next:    to list the entries: wyard path show; to add one: wyard path add DIR

"#]],
    );
    screen(
        &home,
        &["trace", "ls", "--as", "run"],
        str![[r#"
exit 2
--- errors
wyard: run does not exist on this machine
  next:    --as takes one of: exec, bash, elevated

"#]],
    );
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
    terminal(
        &home,
        40,
        &["check"],
        str![[r#"
exit 0
1 tool, 1 command: all good, verified in
3 terminals

  tool       tidelog 4.2.1
  command    tidelog
  runs       this one
  version    4.2.1
  terminals  bash
  verdict    good

"#]],
    );
    terminal(
        &home,
        80,
        &["check"],
        str![[r#"
exit 0
1 tool, 1 command: all good, verified in 3 terminals

  tool           command  runs      version  terminals  verdict
  tidelog 4.2.1  tidelog  this one  4.2.1    bash       good

"#]],
    );
    terminal(
        &home,
        40,
        &["stock"],
        str![[r#"
exit 0
1 tool in ~/.local/share/wagon-yard: all
run in new terminals

  tool               tidelog
  version            4.1.0
  state              -
  registered         -
  new terminals run  -
  commands           tidelog

  tool               tidelog
  version            4.2.1
  state              in use
  registered         user
  new terminals run  this one
  commands           tidelog

"#]],
    );
    terminal(
        &home,
        80,
        &["stock"],
        str![[r#"
exit 0
1 tool in ~/.local/share/wagon-yard: all run in new terminals

  tool     version  state   registered  new terminals run  commands
  tidelog  4.1.0    -       -           -                  tidelog
  tidelog  4.2.1    in use  user        this one           tidelog

"#]],
    );
    terminal(
        &home,
        40,
        &["trace", "tidelog", "--terminal", "new"],
        str![[r#"
exit 0
tidelog
    ~/.local/share/wagon-yard/stock/tidelog/4.2.1/bin/tidelog
    (new terminals)
  asked      bash
  predicted  exec

"#]],
    );
    terminal(
        &home,
        80,
        &["trace", "tidelog", "--terminal", "new"],
        str![[r#"
exit 0
tidelog  ~/.local/share/wagon-yard/stock/tidelog/4.2.1/bin/tidelog (new
         terminals)
  asked      bash
  predicted  exec

"#]],
    );
    terminal(
        &home,
        40,
        &["explain", "shadowed"],
        str![[r#"
exit 0
shadowed, a problem

  means       Another program with the
              same name comes earlier in
              PATH and runs instead.
  matters     The command runs a
              different program than the
              one you installed.
  cause       An older copy was
              installed by hand or by an
              installer, or a startup
              file puts its folder
              first.
  do          Run 'wyard trace COMMAND'
              to list the copies in
              order. Remove the other
              copy, or remove its folder
              from PATH.
  example     wyard trace tidelog   #
              tidelog 3.9 in ~/old/bin
              comes first

"#]],
    );
    terminal(
        &home,
        80,
        &["explain", "shadowed"],
        str![[r#"
exit 0
shadowed, a problem

  means       Another program with the same name comes earlier in PATH and runs
              instead.
  matters     The command runs a different program than the one you installed.
  cause       An older copy was installed by hand or by an installer, or a
              startup file puts its folder first.
  do          Run 'wyard trace COMMAND' to list the copies in order. Remove the
              other copy, or remove its folder from PATH.
  example     wyard trace tidelog   # tidelog 3.9 in ~/old/bin comes first

"#]],
    );
    terminal(
        &home,
        40,
        &["undo", "--dry-run"],
        str![[r#"
exit 0
undo     would undo change 2: receive
         tidelog 4.2.1
    ~/.local/share/wagon-yard/stock/tidelog/4.2.1
    moved to
    ~/.local/share/wagon-yard/retired/tidelog@4.2.1.3
    ~/.local/share/wagon-yard/cards/tidelog/4.2.1.toml
    removed
    ~/.local/share/wagon-yard/cards/tidelog/4.1.0.toml
    changed

"#]],
    );
    terminal(
        &home,
        80,
        &["undo", "--dry-run"],
        str![[r#"
exit 0
undo     would undo change 2: receive tidelog 4.2.1
         ~/.local/share/wagon-yard/stock/tidelog/4.2.1 moved to
         ~/.local/share/wagon-yard/retired/tidelog@4.2.1.3
         ~/.local/share/wagon-yard/cards/tidelog/4.2.1.toml removed
         ~/.local/share/wagon-yard/cards/tidelog/4.1.0.toml changed

"#]],
    );
    terminal(
        &home,
        40,
        &["switch", "tidelog", "4.1.0", "--dry-run"],
        str![[r#"
exit 0
tidelog@4.2.1 would no longer be in use;
it stays in the yard
tidelog@4.1.0 would be in use, in the
user's PATH; startup files unchanged

"#]],
    );
    terminal(
        &home,
        80,
        &["switch", "tidelog", "4.1.0", "--dry-run"],
        str![[r#"
exit 0
tidelog@4.2.1 would no longer be in use; it stays in the yard
tidelog@4.1.0 would be in use, in the user's PATH; startup files unchanged

"#]],
    );
    terminal(
        &home,
        40,
        &["check", "tideolg"],
        str![[r#"
exit 2
wyard: no tool called "tideolg" in the
       yard
  next:    did you mean tidelog?

"#]],
    );
    terminal(
        &home,
        80,
        &["check", "tideolg"],
        str![[r#"
exit 2
wyard: no tool called "tideolg" in the yard
  next:    did you mean tidelog?

"#]],
    );
}

#[test]
fn the_other_commands_and_what_they_refuse() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    put(&home, "home/harbour/shoal-2.0.3/bin/shoal", &script("shoal 2.0.3"));
    home.write("home/notes.txt", "high water at noon\n");
    screen(
        &home,
        &["unpack", &archive, "--into", "charts"],
        str![[r#"
exit 0
identify  zip archive, 305 B
checksum  SHA-256 not compared [SUM]
unpack    2 files, 37 B in [TEMP]/charts; wrapper folder tidelog-4.2.1 removed
--- errors

"#]],
    );
    screen(
        &home,
        &["unpack", &archive, "--into", "charts"],
        str![[r#"
exit 2
--- errors
wyard: [TEMP]/charts already exists; nothing was unpacked
  next:    choose a folder that does not exist

"#]],
    );
    // The place is the machine's.
    home.wyard(&["adopt", "home/harbour/shoal-2.0.3"]).ends(0);
    screen(
        &home,
        &["adopt", "home/notes.txt"],
        str![[r#"
exit 2
--- errors
wyard: [TEMP]/home/notes.txt: a file, not a folder
  next:    to install a download: wyard receive FILE

"#]],
    );
    screen(
        &home,
        &["unregister", "shoal"],
        str![[r#"
exit 0
shoal@2.0.3 unregistered; it stays in the yard; deleted, as nothing else was in it: .profile, .bashrc
Open terminals are unchanged: open a new one.
--- errors

"#]],
    );
    screen(
        &home,
        &["register", "shoal"],
        str![[r#"
exit 0
shoal@2.0.3 registered in the user's PATH; made .profile, .bashrc
Open terminals are unchanged: open a new one.
--- errors

"#]],
    );
    screen(
        &home,
        &["register", "ebb"],
        str![[r#"
exit 2
--- errors
wyard: no tool called "ebb" in the yard
  next:    to list the tools: wyard stock

"#]],
    );
    screen(
        &home,
        &["inspect", "home/notes.txt"],
        str![[r#"
exit 3
--- errors
wyard: home/notes.txt is not a supported archive; it looks like plain text
  next:    download the tool's archive or program, and use that file

"#]],
    );
    screen(
        &home,
        &["trial", "shoal"],
        str![[r#"
exit 2
--- errors
wyard: shoal has no trials
  next:    to add one: wyard trial add shoal --title TEXT --run "COMMAND …"

"#]],
    );
    screen(
        &home,
        &["trial", "add", "shoal", "--title", "soundings", "--run", "shoal", "--prints", "fathoms"],
        str![[r#"
exit 0
shoal 2.0.3 has 1 trial: "soundings"
To run: wyard trial shoal@2.0.3
--- errors

"#]],
    );
    screen(
        &home,
        &["trial", "shoal"],
        str![[r#"
exit 1
failed  soundings
  here  shoal   ~/harbour/shoal-2.0.3/bin/shoal, [DURATION]
    expected output with "fathoms"
    came     "shoal shoal 2.0.3"

shoal 2.0.3: 0 of 1 trial passed
--- errors

"#]],
    );
    screen(
        &home,
        &["retire", "ebb"],
        str![[r#"
exit 2
--- errors
wyard: no tool called "ebb" in the yard
  next:    to list the tools: wyard stock

"#]],
    );
    screen(
        &home,
        &["history", "9"],
        str![[r#"
exit 2
--- errors
wyard: no change 9
  next:    to list the changes: wyard history

"#]],
    );
    screen(
        &home,
        &["stock", "--mend"],
        str![[r#"
exit 0
The stock is consistent.
--- errors

"#]],
    );
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
    screen(
        &home,
        &["inspect", "folder"],
        str![[r#"
exit 0
6 downloads in folder; 1 other file

  file                tool     version  for  runs here  yard
  ebb-1.0.zip         ebb      1.0      -    no         -
  neap-1.0.zip        neap     1.0      -    no         -
  shoal-2.0.3         shoal    2.0.3    -    yes        -
  tidelog-4.1.0.zip   tidelog  4.1.0    -    yes        older than 4.2.1
  tidelog-4.10.0.zip  tidelog  4.10.0   -    yes        newer than 4.2.1
  tidelog-4.2.1.zip   tidelog  4.2.1    -    yes        has it

  no  folder/ebb-1.0.zip is truncated: it has 16 bytes, the end of the file is missing
  no  folder/neap-1.0.zip is not a supported archive; it looks like a web page, not the download itself
--- errors

"#]],
    );
    home.wyard(&["inspect", "folder", "--json"]).ends(0).json();
    screen(
        &home,
        &["inspect", "home"],
        str![[r#"
exit 0
0 downloads in home; 2 other files
--- errors

"#]],
    );
}
