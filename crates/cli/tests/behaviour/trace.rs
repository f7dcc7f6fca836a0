//! `trace`: what runs, and what put it there.

use serde_json::Value;
use wagon_yard_core::os;

use crate::archives::{script, tidelog};
use crate::home::{Home, Ran, have, have_layers};

/// The trace of a name by one shell in a new terminal.
fn traced(home: &Home, name: &str, shell: &str) -> Vec<Value> {
    let report = home.wyard(&["trace", name, "--terminal", "new", "--as", shell, "--json"]).json();
    report["commands"][0]["callers"].as_array().unwrap().clone()
}

pub fn put(home: &Home, file: &str, content: &str) {
    os::set_folder_mode(&home.write(file, content), 0o755).unwrap();
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn the_line_that_put_an_entry_there_is_told() {
    // Where each shell gets the folder from, the line, and whether the shell traced it itself.
    let cases: [(&str, &str, &str, u64, &str); 7] = [
        ("bash", ".bashrc", "# one\nadd() { PATH=\"$1:$PATH\"; }\nadd \"$HOME/own\"\n", 3, "traced"),
        ("bash", ".profile", "if true; then\n  PATH=$HOME/own:$PATH\nfi\nhash -r\n", 2, "traced"),
        ("zsh", ".zshrc", "path=($HOME/own $path)\n", 1, "traced"),
        ("zsh", ".zprofile", "\n\nexport PATH=\"$HOME/own:$PATH\"\n", 3, "traced"),
        ("ksh", ".kshrc", "x=1\nPATH=\"$HOME/own:$PATH\"\n", 2, "read"),
        ("tcsh", ".cshrc", "setenv PATH ${HOME}/own:${PATH}\n", 1, "read"),
        ("fish", ".config/fish/config.fish", "# x\nset -gx PATH ~/own $PATH\n", 2, "read"),
    ];
    for (shell, file, text, line, found) in cases {
        if !have(shell) {
            continue;
        }
        let home = Home::with(&[shell]);
        put(&home, "home/own/tidelog", &script("3.9"));
        home.write(&format!("home/{file}"), text);
        let callers = traced(&home, "tidelog", shell);
        let one =
            callers.iter().find(|one| one["kind"] == "file").unwrap_or_else(|| panic!("{shell} {file}: {callers:?}"));
        let origin = &one["candidates"][0]["origin"];
        assert_eq!(origin["place"], home.path(&format!("home/{file}")).to_str().unwrap(), "{shell} {file}");
        assert_eq!((&origin["line"], &origin["found"]), (&line.into(), &found.into()), "{shell} {file}");
    }
}

#[test]
#[cfg_attr(windows, ignore = "links and scripts are those of Unix")]
fn links_wrappers_and_what_is_remembered_are_told() {
    let home = Home::with(&["bash"]);
    put(&home, "home/a/tide", &script("1.0"));
    put(&home, "home/w/tide", &format!("#!/bin/sh\nexec {} \"$@\"\n", home.path("home/a/tide").display()));
    std::fs::create_dir(home.path("home/b")).unwrap();
    os::make_link(std::path::Path::new("../a/tide"), &home.path("home/b/tide")).unwrap();
    home.write("home/.bashrc", "PATH=~/b:~/a:~/w:$PATH\nhash -p ~/a/tide gauge\n");
    put(&home, "home/w/gauge", &script("2.0"));
    let callers = traced(&home, "tide", "bash");
    let one = callers.iter().find(|one| one["kind"] == "file").unwrap();
    let candidates = one["candidates"].as_array().unwrap();
    let real = home.path("home/a/tide");
    assert_eq!(candidates[0]["leads_to"], real.canonicalize().unwrap().to_str().unwrap());
    assert_eq!((&candidates[1]["same_as"], &candidates[0]["same_as"]), (&0.into(), &Value::Null));
    assert_eq!(candidates[2]["starts"], real.to_str().unwrap());
    let callers = traced(&home, "gauge", "bash");
    let one = callers.iter().find(|one| one["kind"] == "file").unwrap();
    assert_eq!(
        (&one["winner"], &one["findings"][0]["code"]),
        (&real.to_str().unwrap().into(), &"remembered-place".into())
    );
    let shown = home.wyard(&["trace", "tide", "--versions"]).ends(0).says("same file").says("starts ");
    shown.says("1.0").says(".bashrc:1");
    home.wyard(&["trace", "tidf"]).ends(1).says("similar").says("tide");
}

#[test]
#[cfg_attr(windows, ignore = "elevation on Windows keeps PATH")]
fn an_administrator_may_run_another_copy_or_none() {
    let home = Home::with(&["bash"]);
    let sandbox = home.path("");
    let wyard = |arguments: &[&str]| home.wyard(&[arguments, &["--sandbox", sandbox.to_str().unwrap()]].concat());
    wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    wyard(&["trace", "tidelog", "--as", "elevated"]).ends(1).says("no rules for elevated commands");
    home.write("etc/sudoers", "Defaults secure_path=\"/nowhere\"\n");
    wyard(&["trace", "tidelog", "--as", "elevated"]).ends(1).says("[elevated-differs]");
    put(&home, "system/tidelog", &script("3.9"));
    let system = home.path("system");
    home.write("etc/sudoers", format!("Defaults secure_path = {}\n", system.display()));
    let told = wyard(&["trace", "tidelog"]).ends(0).says("elevated").says("[elevated-differs]");
    told.says(system.join("tidelog").to_str().unwrap());
}

#[test]
#[cfg_attr(windows, ignore = "it is startup files that put the old copy first")]
fn the_smallest_change_that_mends_a_shadow_is_told_and_works() {
    let home = Home::with(&["bash"]);
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    put(&home, "home/old/tidelog", &script("3.9"));
    put(&home, "home/old/ebb", &script("1.0"));
    for name in [".profile", ".bashrc"] {
        let text = std::fs::read_to_string(home.path(&format!("home/{name}"))).unwrap();
        home.write(&format!("home/{name}"), format!("{text}PATH=\"$HOME/old:$PATH\"\n"));
    }
    let old = home.path("home/old");
    let bin = home.yard().join("stock/tidelog/4.2.1/bin");
    let remedy = format!("wyard path move {} --before {}", bin.display(), old.display());
    let told = home.wyard(&["trace", "tidelog", "--terminal", "new", "--json"]).json();
    let text = told.to_string();
    assert!(text.contains(&remedy) && text.contains("no other command changes"), "{text}");
    // What has the last word is a line, and that is what to change: registering again would find nothing to do.
    let profile = home.path("home/.profile");
    let line = std::fs::read_to_string(&profile).unwrap().lines().count();
    let named = format!("line {line} of {}", profile.display());
    // A line behind our block has the last word: the move cannot help there, and is not said to have.
    home.wyard(&["path", "move", bin.to_str().unwrap(), "--before", old.to_str().unwrap()])
        .ends(1)
        .says("[change-undone]");
    for call in [&["check", "tidelog"][..], &["receive", &tidelog(&home, "4.3.0")]] {
        let told = home.wyard(call).ends(1);
        assert!(told.out.contains(&named) && !told.out.contains("wyard register"), "{call:?}: {}", told.out);
        told.says("[startup-undoes]");
    }
}

#[test]
#[cfg_attr(windows, ignore = "the shells are those of Unix")]
fn an_old_terminal_catches_up() {
    if !have_layers() {
        return;
    }
    let shells = ["sh", "bash", "zsh", "fish", "ksh", "tcsh"];
    for shell in shells {
        let program = if shell == "sh" { "dash" } else { shell };
        if !have(program) {
            continue;
        }
        let home = Home::with(&[program]);
        home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
        // This terminal was opened before.
        let lines = home.wyard(&["catch-up", shell]).ends(0).out;
        assert!(lines.contains("TIDELOG_HOME") && lines.contains("PATH"), "{shell}: {lines}");
        let file = home.write("home/lines", &lines);
        let read = if matches!(shell, "sh" | "ksh") { "." } else { "source" };
        let seen = std::process::Command::new(format!("/bin/{program}"))
            .args((shell == "tcsh").then_some("-f"))
            .args(["-c", &format!("{read} {}; tidelog; echo $TIDELOG_HOME", file.display())])
            .env_clear()
            .env("PATH", "/usr/bin:/bin")
            .output()
            .unwrap();
        let home_variable = home.yard().join("stock/tidelog/4.2.1");
        let seen = String::from_utf8_lossy(&seen.stdout).into_owned();
        assert_eq!(seen, format!("tidelog 4.2.1\n{}\n", home_variable.display()), "{shell}");
        let report = home.wyard(&["catch-up", shell, "--json"]).ends(0).json();
        assert_eq!(report["variables"][0]["name"], "PATH", "{shell}");
        // A terminal that has it all has nothing to catch up with.
        let mut again = home.command(&["catch-up", shell]);
        let new = report["variables"][0]["new"].as_str().unwrap();
        again.env("PATH", new).env("TIDELOG_HOME", &home_variable);
        assert_eq!(Ran::from(again.output().unwrap()).ends(0).out, "", "{shell}");
    }
    Home::new().wyard(&["catch-up", "nobody"]).ends(2).says("not a supported shell; use one of sh, bash");
}
