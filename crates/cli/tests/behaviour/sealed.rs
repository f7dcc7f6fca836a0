//! Asking and probing leave nothing behind, at whatever level the machine allows, and say the same as unsealed.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use wagon_yard_core::os;

use crate::archives::{script, tidelog, tidelog_that, zip};
use crate::home::{Home, have};

/// The levels at which the machine is kept from everything; the settings name the best that is tried.
const SEALED: [&str; 3] = ["full", "shared-processes", "no-writes"];

fn home_at(level: &str, shells: &[&str]) -> Home {
    let home = Home::with(shells);
    let named: Vec<String> = shells.iter().map(|s| format!("\"{s}\"")).collect();
    home.settings(&format!("shells = [{}]\nshell_seconds = 20\nseal = \"{level}\"\n", named.join(", ")));
    home
}

/// Gives everything to somebody without rights.
fn give_away(home: &Home) {
    if os::is_superuser() {
        let chown = Command::new("chown").args(["-R", "65534:65534"]).arg(home.path("")).status().unwrap();
        assert!(chown.success());
    }
}

/// Everything in the home: kind, mode, size, time of the last change and content.
fn picture(home: &Home) -> Vec<(PathBuf, String)> {
    use std::os::unix::fs::MetadataExt as _;
    let mut all = Vec::new();
    let mut folders = vec![home.path("home")];
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(&folder).unwrap() {
            let path = entry.unwrap().path();
            let seen = fs::symlink_metadata(&path).unwrap();
            let content = if seen.is_file() { fs::read(&path).unwrap() } else { Vec::new() };
            if seen.is_dir() {
                folders.push(path.clone());
            }
            let changed = (seen.ctime(), seen.ctime_nsec());
            all.push((path, format!("{:o} {} {changed:?} {} bytes", seen.mode(), seen.ino(), content.len())));
        }
    }
    all.sort();
    all
}

fn processes_with(mark: &str) -> Vec<String> {
    let entries = fs::read_dir("/proc").unwrap().flatten();
    let lines = entries.filter_map(|entry| fs::read(entry.path().join("cmdline")).ok());
    lines.map(|line| String::from_utf8_lossy(&line).into_owned()).filter(|line| line.contains(mark)).collect()
}

/// Startup files that save histories in foreign places, start agents, and write.
const RESTLESS: &str = "export HISTFILE=\"$HOME/.bash_history\" HISTFILESIZE=20 HISTSIZE=20\n\
    [ -n \"$AGENT\" ] || (sleep MARK >/dev/null 2>&1 &)\n(setsid sleep MARK >/dev/null 2>&1 &)\n\
    date >> ~/diary 2>/dev/null; rm -f ~/keep 2>/dev/null; chmod 600 ~/mode 2>/dev/null; touch ~/mode 2>/dev/null\n";

#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "seals of this kind are Linux's")]
fn a_question_leaves_nothing_behind() {
    for level in SEALED {
        for shells in [&["ksh"][..], &["sh", "bash", "zsh", "fish", "ksh", "tcsh"]] {
            if !shells.iter().all(|shell| have(shell)) {
                continue;
            }
            for superuser in [false, true] {
                if superuser && !os::is_superuser() {
                    eprintln!("skipped: not the superuser");
                    continue;
                }
                let home = home_at(level, shells);
                let mark = format!("7{}", home.path("").to_str().unwrap().bytes().map(u64::from).sum::<u64>());
                for file in [".profile", ".bashrc", ".zshrc", ".kshrc"] {
                    home.write(&format!("home/{file}"), RESTLESS.replace("MARK", &mark));
                }
                home.write("home/.zlogout", "echo bye > ~/bye\n");
                home.write("home/.tcshrc", format!("set savehist = 5 histfile = ~/.history\nsleep {mark} &\n"));
                home.write("home/.history", "typed long ago\n");
                home.write("home/keep", "kept");
                home.write("home/mode", "");
                let history: String = (0..3000).map(|line| format!("{line}\n")).collect();
                home.write("home/.bash_history", &history);
                let call = |arguments: &[&str]| match superuser {
                    true => home.wyard(arguments),
                    false => home.as_user(arguments),
                };
                if !superuser {
                    give_away(&home);
                }
                call(&["explain", "not-found"]).ends(0);
                let before = picture(&home);
                for arguments in [&["trace", "ls"][..], &["survey"], &["path", "show"], &["stock"], &["check"]] {
                    let told = call(&[arguments, &["-v"]].concat());
                    assert!(!told.err.contains("does not hold"), "{level}: {}", told.err);
                    assert_eq!(picture(&home), before, "{level}, {shells:?}, superuser {superuser}: {arguments:?}");
                    assert_eq!(processes_with(&format!("sleep\0{mark}")), [""; 0], "{level}: {arguments:?}");
                }
            }
        }
    }
}

#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "seals of this kind are Linux's")]
fn a_probe_does_nothing_that_lasts() {
    let acting = "#!/bin/sh\nrm -rf ~/precious; echo >> ~/log; (setsid sleep 7919 >/dev/null 2>&1 &)\nexit 0\n";
    for (level, verdict) in [("full", "good"), ("shared-processes", "good"), ("no-writes", "good"), ("none", "not-proven")] {
        let home = home_at(level, &["sh", "zsh"]);
        home.write("home/precious/work", "of years");
        let ran = home.wyard(&["receive", &tidelog_that(&home, "4.2.1", acting), "--json"]);
        let command = ran.json()["check"]["commands"][0].clone();
        assert!(home.path("home/precious/work").exists() && !home.path("home/log").exists(), "{level}");
        assert_eq!(processes_with("sleep\x007919"), [""; 0], "{level}");
        let told = command["findings"].to_string();
        assert_eq!(told.contains("left-running"), level != "none", "{level}: {told}");
        let at = command["caller_results"][0]["seal"].as_str().unwrap();
        assert_eq!(at, level);
        if level == "none" {
            assert_eq!(command["verdict"], verdict, "{command}");
        }
    }
    // Which arguments are tried where nothing would be thrown away: none that a program could take for work.
    let asked = "#!/bin/sh\necho \"asked with $*\" >&2\nexit 1\n";
    for (level, tried) in [("full", 6), ("no-writes", 4)] {
        let home = home_at(level, &["bash"]);
        let ran = home.wyard(&["receive", &tidelog_that(&home, "4.2.1", asked), "-vv"]);
        let starts = ran.err.lines().filter(|line| line.contains("bin/tidelog\"") && line.contains("start request"));
        assert_eq!(starts.count(), tried, "{level}");
    }
    let home = Home::new();
    let archive = tidelog_that(&home, "4.2.1", asked);
    let ran = home.wyard(&["receive", &archive, "--no-run", "-vv"]).ends(0);
    assert!(!ran.err.contains("bin/tidelog\""), "{}", ran.err);
    home.wyard(&["receive", &archive, "--replace", "--probe", "version --short", "-vv"])
        .ends(0)
        .says("request.arguments=[\"version\", \"--short\"]");
}

#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "seals of this kind are Linux's")]
fn what_is_not_certain_is_not_good() {
    for (level, shell, verdict) in [
        ("no-writes", "bash", "good"),
        ("no-writes", "zsh", "good"),
        ("no-writes", "sh", "not-proven"),
        ("no-writes", "ksh", "not-proven"),
        ("no-writes", "fish", "not-proven"),
        ("none", "bash", "not-proven"),
        ("none", "ksh", "not-proven"),
    ] {
        if !have(shell) {
            continue;
        }
        let home = home_at(level, &[shell]);
        let archive = tidelog(&home, "4.2.1");
        let report = home.wyard(&["receive", &archive, "--json"]).json();
        assert_eq!(report["verdict"], verdict, "{level}, {shell}: {report}");
        home.wyard(&["check", "--unsealed", "--json"]).ends(0);
    }
}

#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "seals of this kind are Linux's")]
fn wyard_in_a_seal_makes_none() {
    let home = Home::new();
    let wyard = env!("CARGO_BIN_EXE_wyard");
    home.write("home/.bashrc", format!("eval \"$({wyard} catch-up bash 2>/dev/null)\"\n"));
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    home.wyard(&["check"]).ends(0);
}

#[test]
#[cfg_attr(windows, ignore = "startup files are those of Unix")]
fn what_is_typed_is_what_counts() {
    let tool = "#!/bin/sh\n[ -z \"$TIDE_ROOT\" ] || [ -d \"$TIDE_ROOT\" ] || { echo Fatal >&2; exit 126; }\necho tidelog 4.2.1\n";
    let around = "#!/bin/sh\ncat \"$(dirname \"$0\")/../share/data\" || exit 127\necho tidelog 4.2.1\n";
    // A line of a startup file behind our block, and what comes of it.
    for (shell, program, line, code, says) in [
        ("bash", tool, "export TIDE_ROOT=/opt/old\n", 1, "bash (interactive)"),
        ("zsh", tool, "export TIDE_ROOT=/opt/old\n", 1, "zsh (login, interactive)"),
        ("bash", around, "PATH=$HOME/bin:$PATH\n", 1, "does-not-start"),
        ("bash", tool, "alias tidelog='tidelog -q'\n", 0, "good"),
        ("bash", tool, "tidelog() { command tidelog -q \"$@\"; }\n", 0, "good"),
        ("zsh", tool, "alias tidelog='tidelog -q'\n", 0, "good"),
        ("fish", tool, "function tidelog; command tidelog $argv; end\n", 0, "good"),
        ("fish", tool, "abbr -a tidelog tidelog -q\n", 0, "good"),
        ("fish", tool, "abbr -a xx --position command --regex '^tide.*$' ~/old/tidelog\n", 1, "hidden-by-shell"),
        ("ksh", tool, "alias tidelog='tidelog -q'\n", 0, "good"),
        ("tcsh", tool, "alias tidelog 'tidelog -q'\n", 0, "good"),
        ("bash", tool, "[ -z \"$BASH_EXECUTION_STRING\" ] && alias tidelog=~/old/tidelog\n", 1, "hidden-by-shell"),
        ("bash", tool, "case $- in *c*) ;; *) PATH=~/old:$PATH ;; esac\n", 1, "shadowed"),
        ("bash", tool, "trap '[[ $BASH_COMMAND == tidelog* ]] && PATH=~/old:$PATH' DEBUG\n", 1, "shadowed"),
        ("fish", tool, "function fish_greeting; set -gx PATH ~/old $PATH; end\n", 1, "shadowed"),
        ("fish", tool, "function fish_user_key_bindings; set -gx PATH ~/old $PATH; end\n", 1, "shadowed"),
        ("ksh", tool, "PS1='${ PATH=~/old:$PATH; }> '\n", 1, "shadowed"),
        ("zsh", tool, "zle-line-init() { path=(~/old $path) }; zle -N zle-line-init\n", 1, "shadowed"),
        ("bash", tool, "exec zsh\n", 0, "good"),
        ("bash", tool, "exec fish\n", 0, "good"),
        ("bash", tool, "[ -n \"$PS1\" ] && [ -z \"$TMUX\" ] && exec ~/old/sharer\n", 0, "good"),
        ("bash", tool, "set -eu\n", 0, "good"),
    ] {
        if !have(shell) || (line.contains("exec zsh") && !have("zsh")) || (line.contains("exec fish") && !have("fish")) {
            continue;
        }
        let home = Home::with(&[shell]);
        for (place, content) in [("home/old/tidelog", script("3.9")), ("home/old/sharer", "#!/bin/sh\nsleep 60\n".into())] {
            os::set_folder_mode(&home.write(place, content), 0o755).unwrap();
        }
        let files = [("w/bin/tidelog", program, 0o755), ("w/share/data", "", 0o644)];
        let archive = zip(&home.path("tidelog-4.2.1.zip"), &files);
        home.wyard(&["receive", archive.to_str().unwrap()]).ends(0);
        let ours = home.path("home/.local/share/wagon-yard/stock/tidelog/4.2.1/bin/tidelog");
        fs::create_dir(home.path("home/bin")).unwrap();
        os::make_link(&ours, &home.path("home/bin/tidelog")).unwrap();
        let file = match shell {
            "fish" => home.path("home/.config/fish/config.fish"),
            "tcsh" => home.path("home/.cshrc"),
            _ => home.path(&format!("home/.{shell}rc")),
        };
        let before = fs::read_to_string(&file).unwrap();
        fs::write(&file, format!("{before}\n{line}")).unwrap();
        let ran = home.wyard(&["check"]);
        assert_eq!(ran.code, code, "{shell}: {line}{}{}", ran.out, ran.err);
        ran.says(says);
    }
}

#[test]
#[cfg_attr(windows, ignore = "shells of Unix")]
fn only_the_users_shells_get_files() {
    let mut home = Home::with(&["bash"]);
    home.settings("shell_seconds = 20\n");
    home.variables.insert("SHELL".to_owned(), "/bin/bash".to_owned());
    os::make_link(Path::new("/no/such/file"), &home.path("home/.login")).unwrap();
    fs::remove_file(home.path("home/.login")).unwrap();
    home.write("home/.bashrc", "");
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    for (file, is_there) in [(".profile", true), (".zshrc", false), (".kshrc", false), (".cshrc", false), (".config", false)] {
        assert_eq!(home.path(&format!("home/{file}")).exists(), is_there, "{file}");
    }
    if have("zsh") {
        home.wyard(&["survey"]).says("[shell-not-used]").says("zsh");
        home.wyard(&["register", "tidelog", "--shells", "zsh"]).ends(0);
        assert!(home.terminal("zsh", "-ic", "tidelog").contains("4.2.1"));
        assert!(home.terminal("bash", "-ic", "tidelog").contains("4.2.1"));
        let report = home.wyard(&["check", "--json"]).ends(0).json();
        assert!(report.to_string().contains("\"caller\":\"zsh\""), "from now on it is the user's");
    }
}
