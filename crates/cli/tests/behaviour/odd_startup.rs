//! What is told of odd startup files and of scripts, and what to do.

use std::fs;
use std::path::Path;
use std::process::Command;

use wagon_yard_core::os;

use crate::archives::{script, tidelog};
use crate::home::{Home, have};

#[test]
#[cfg_attr(windows, ignore = "startup files are those of Unix")]
fn a_relative_entry_is_looked_up_where_the_shell_is() {
    let home = Home::with(&["bash", "zsh", "sh"]);
    os::set_folder_mode(&home.write("home/proj/tools/zed", script("1.0")), 0o755).unwrap();
    for file in [".bashrc", ".zshrc", ".zshenv", ".profile"] {
        home.write(&format!("home/{file}"), "PATH=tools:$PATH; cd ~/proj\n");
    }
    let report = home.wyard(&["trace", "zed", "--json", "--terminal", "new"]).ends(0).json();
    let callers = report["commands"][0]["callers"].as_array().unwrap();
    for caller in callers.iter().filter(|caller| caller["proved"] == true) {
        assert!(caller["winner"].as_str().is_some_and(|file| file.ends_with("proj/tools/zed")), "{caller}");
    }
    assert!(callers.iter().any(|caller| caller["proved"] == true));
}

#[test]
#[cfg_attr(windows, ignore = "startup files are those of Unix")]
fn a_startup_file_that_is_a_pipe_is_told_at_once() {
    let home = Home::with(&["bash"]);
    home.settings("shells = [\"bash\"]\nshell_seconds = 2\n");
    let pipe = home.path("home/.bashrc");
    assert!(Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    let archive = tidelog(&home, "4.2.1");
    home.wyard(&["receive", &archive]).ends(4).says(".bashrc").says("not a regular file");
    // And a call that waits for one ends when it is asked to.
    home.settings("shells = [\"bash\"]\nshell_seconds = 60\n");
    let mut child = home.command(&["trace", "ls"]).stdout(std::process::Stdio::null()).spawn().unwrap();
    std::thread::sleep(std::time::Duration::from_millis(700));
    Command::new("kill").args(["-TERM", &child.id().to_string()]).status().unwrap();
    let asked = std::time::Instant::now();
    child.wait().unwrap();
    assert!(asked.elapsed() < std::time::Duration::from_secs(30));
}

#[test]
#[cfg_attr(windows, ignore = "startup files are those of Unix")]
fn remedies_name_the_line() {
    for (file, line, says) in
        [(".bashrc", "readonly PATH\n", "change line 1 of"), (".bashrc", "return\n", "change line 1 of")]
    {
        let home = Home::with(&["bash"]);
        home.write(&format!("home/{file}"), line);
        let ran = home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(1).says(says);
        assert!(!ran.out.contains("run 'wyard register"), "{line}: {}", ran.out);
    }
    if have("fish") {
        let mut home = Home::with(&["fish"]);
        home.variables.insert("LANG".to_owned(), "C".to_owned());
        let (before, umlaut) = (home.path("home"), home.path("hüme"));
        fs::rename(before, &umlaut).unwrap();
        home.variables.insert("HOME".to_owned(), umlaut.to_str().unwrap().to_owned());
        let ran = home.wyard(&["receive", &tidelog(&home, "4.2.1")]);
        assert!(ran.code == 0 || ran.out.contains("set LANG to a UTF-8 locale"), "{}", ran.out);
    }
    let home = Home::with(&["bash"]);
    os::make_link(Path::new("/dev/null"), &home.path("home/.bash_profile")).unwrap();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(1).says("it links to /dev/null");
    assert!(
        fs::symlink_metadata("/dev/null").unwrap().file_type() != fs::symlink_metadata("/bin/sh").unwrap().file_type()
    );
}

#[test]
#[cfg_attr(windows, ignore = "scripts of Unix")]
fn a_script_that_may_be_either_is_refused() {
    let home = Home::new();
    let fails = home.write("fails-1.0.sh", "#!/bin/sh\necho hello > \"$HOME/made\"; exit 7\n");
    let fails = fails.to_str().unwrap();
    home.wyard(&["receive", fails]).ends(2).says("--kind");
    assert!(!home.path("home/made").exists() && !home.yard().join("stock").exists(), "it was not run");
    home.wyard(&["receive", fails, "--yes"]).ends(1).says("status 7");
    assert!(home.path("home/made").exists(), "as an installer it was");
    for (kind, options, told) in [
        ("program", &["--yes"][..], "--yes"),
        ("program", &["--time-limit", "30"], "--time-limit"),
        ("installer", &["--yes", "--stay"], "--stay"),
        ("installer", &["--yes", "--limit", "2", "--leave-out-hazards"], "--leave-out-hazards, --limit"),
    ] {
        let call = [&["receive", fails, "--kind", kind], options].concat();
        home.wyard(&call).ends(2).says(&format!("not applicable: {told}"));
    }
    home.wyard(&["retire", "fails", "--time-limit", "3"]).ends(2).says("--uninstall");
    let silent = home.write("silent-1.0", "#!/bin/sh\nexit 7\n");
    home.wyard(&["receive", silent.to_str().unwrap()]).ends(1).says("failed without a message").says("not-proven");
}

#[test]
#[cfg_attr(windows, ignore = "startup files are those of Unix")]
fn path_goes_by_the_login_shell() {
    let mut home = Home::with(&["bash", "zsh", "sh"]);
    home.settings("shells = [\"bash\", \"zsh\", \"sh\", \"ksh\", \"tcsh\"]\nshell_seconds = 20\n");
    home.variables.insert("SHELL".to_owned(), "/bin/bash".to_owned());
    for file in [".bashrc", ".bash_profile"] {
        home.write(&format!("home/{file}"), "PATH=$HOME/bin:/nowhere:$PATH:/usr/bin:\n");
    }
    home.wyard(&["path", "show"]).says("~/bin").says("[path-differs]");
    let tidy = home.wyard(&["path", "tidy", "--dry-run"]);
    assert!(tidy.out.contains("/nowhere"), "{}", tidy.out);
}

#[test]
fn retiring_what_is_in_service_says_what_is_left() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.1.0")]).ends(0);
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    home.wyard(&["retire", "tidelog@4.2.1"]).ends(0).says("wyard switch tidelog 4.1.0");
    home.wyard(&["receive", &tidelog(&home, "4.1.0")]).ends(3).says("wyard register tidelog@4.1.0");
}
