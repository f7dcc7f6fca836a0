//! Asking and probing leave nothing behind, at whatever level the machine allows, and say the same as unsealed.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Mutex;

use wagon_yard_core::os;

use crate::archives::{script, tidelog, tidelog_that, zip};
use crate::home::{Home, have, have_layers, try_each};

/// The levels at which the machine is kept from everything; the settings name the best that is tried.
const SEALED: [&str; 3] = ["full", "shared-processes", "no-writes"];

/// A home in which this level is the best; none where the machine does not allow it.
fn home_at(level: &str, shells: &[&str]) -> Option<Home> {
    let settings = |shells: &[&str]| {
        let named: Vec<String> = shells.iter().map(|s| format!("\"{s}\"")).collect();
        format!("shells = [{}]\nshell_seconds = 20\nseal = \"{level}\"\n", named.join(", "))
    };
    static KNOWN: Mutex<BTreeMap<String, bool>> = Mutex::new(BTreeMap::new());
    let is_there = *KNOWN.lock().unwrap().entry(level.to_owned()).or_insert_with(|| {
        let home = Home::with(&["sh"]);
        home.settings(&settings(&["sh"]));
        let report = home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--json"]).json();
        report["check"]["commands"][0]["caller_results"][0]["seal"] == level
    });
    if !is_there {
        assert!(std::env::var_os("CI").is_none(), "no seal {level} here, and CI may skip nothing");
        eprintln!("skipped: the seal {level} cannot be made here");
        return None;
    }
    let home = Home::with(shells);
    home.settings(&settings(shells));
    Some(home)
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
                let Some(home) = home_at(level, shells) else { continue };
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
    for level in ["full", "shared-processes", "no-writes", "none"] {
        let Some(home) = home_at(level, &["sh", "zsh"]) else { continue };
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
            assert_eq!(command["verdict"], "not-proven", "{command}");
        }
    }
    // Which arguments are tried where nothing would be thrown away: none that a program could take for work.
    let asked = "#!/bin/sh\necho \"asked with $*\" >&2\nexit 1\n";
    let mut each = Vec::new();
    for (level, tried) in [("full", 6), ("no-writes", 4)] {
        let Some(home) = home_at(level, &["bash"]) else { continue };
        let ran = home.wyard(&["receive", &tidelog_that(&home, "4.2.1", asked), "-vv"]);
        let starts = ran.err.lines().filter(|line| line.contains("bin/tidelog\"") && line.contains("start request"));
        let starts = starts.count();
        assert!(starts > 0 && starts % tried == 0, "{level}: {starts}");
        each.push(starts / tried);
    }
    each.dedup();
    assert!(each.len() <= 1, "in as many contexts: {each:?}");
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
        let Some(home) = home_at(level, &[shell]) else { continue };
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
    if !have_layers() {
        return;
    }
    let tool = "#!/bin/sh\n[ -z \"$TIDE_ROOT\" ] || [ -d \"$TIDE_ROOT\" ] || { echo Fatal >&2; exit 126; }\necho tidelog 4.2.1\n";
    let picky = "#!/bin/sh\n[ \"$(ulimit -n)\" -gt 32 ] || { echo too few descriptors >&2; exit 1; }\n\
        [ \"$(umask)\" != 0077 ] || { echo files would be unreadable >&2; exit 1; }\n\
        [ \"$(pwd)\" != / ] || { echo not in this folder >&2; exit 1; }\n\
        [ \"$TERM\" != wonky ] || { echo unknown terminal >&2; exit 127; }\n\
        [ -z \"$__TIDE\" ] || { echo no tide >&2; exit 127; }\n\
        [ \"$SHELL\" != /gone/sh ] || exec \"$SHELL\"\n\
        echo tidelog 4.2.1 >&2\n";
    let around = "#!/bin/sh\ncat \"$(dirname \"$0\")/../share/data\" || exit 127\necho tidelog 4.2.1\n";
    // A line of a startup file behind our block, and what comes of it.
    let cases = [
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
        ("zsh", tool, "alias -g tidelog='tidelog --x'\n", 0, "good"),
        // A program sees more of a terminal than variables, and all of these.
        ("bash", picky, "ulimit -n 16\n", 1, "too few descriptors"),
        ("bash", picky, "umask 077\n", 1, "files would be unreadable"),
        ("bash", picky, "cd /\n", 1, "not in this folder"),
        ("bash", picky, "export TERM=wonky\n", 1, "unknown terminal"),
        ("bash", picky, "export SHELL=/gone/sh\n", 1, "/gone/sh"),
        ("zsh", picky, "export __TIDE=1\n", 1, "no tide"),
        ("ksh", picky, "exec 2>&-\n", 1, "tidelog"),
        // What is remembered, comes later, or is done to a line.
        ("bash", tool, "hash -p ~/old/tidelog tidelog\n", 1, "shadowed"),
        ("bash", tool, "if [ -f ~/.seen ]; then PATH=~/old:$PATH; else touch ~/.seen; fi\n", 1, "[terminals-differ]"),
        ("bash", tool, "if [ -f ~/.seen ]; then PATH=~/old:$PATH; else touch ~/.seen; fi\n", 1, "change line 5 of"),
        ("bash", tool, "trap 'PATH=~/old:$PATH' USR1; (sleep 1; kill -USR1 $$) &\n", 1, "[terminals-differ]"),
        ("bash", tool, "trap 'PATH=~/old:$PATH' USR1; (sleep 90; kill -USR1 $$) &\n", 1, "[not-proven]"),
        ("bash", tool, "PROMPT_COMMAND='[ -z \"$_n\" ] || PATH=~/old:$PATH; _n=1'\n", 1, "[terminals-differ]"),
        ("zsh", tool, "zmodload zsh/sched; sched +1 'path=(~/old $path)'\n", 1, "[terminals-differ]"),
        (
            "zsh",
            tool,
            "exec {fd}< <(sleep 1; echo go); _h(){ zle -F $1; exec {1}<&-; path=(~/old $path) }; zle -F $fd _h\n",
            1,
            "[terminals-differ]",
        ),
        (
            "bash",
            tool,
            "tidelog(){ if [ $# -gt 0 ]; then command tidelog \"$@\"; else ~/old/tidelog; fi; }\n",
            1,
            "shadowed",
        ),
        ("zsh", tool, "_o(){ BUFFER=\"~/old/$BUFFER\"; zle .accept-line }; zle -N accept-line _o\n", 1, "tidelog"),
        ("zsh", tool, "_o(){ zle .accept-line }; zle -N accept-line _o\n", 0, "good"),
        ("bash", tool, "bind '\"\\C-m\": \"\\C-a~/old/\\C-j\"'\n", 1, "tidelog"),
        ("fish", tool, "bind \\r 'commandline -r \"~/old/\"(commandline); commandline -f execute'\n", 1, "tidelog"),
        ("bash", tool, "kill -0 1 2>/dev/null || PATH=~/old:$PATH\n", 1, "which a seal hides"),
    ];
    try_each(&cases, |(shell, program, line, code, says)| {
        if !have(shell) || (line.contains("exec zsh") && !have("zsh")) || (line.contains("exec fish") && !have("fish"))
        {
            return;
        }
        let home = Home::with(&[shell]);
        for (place, content) in
            [("home/old/tidelog", script("3.9")), ("home/old/sharer", "#!/bin/sh\nsleep 60\n".into())]
        {
            os::set_folder_mode(&home.write(place, content), 0o755).unwrap();
        }
        let files = [("w/bin/tidelog", *program, 0o755), ("w/share/data", "", 0o644)];
        let archive = zip(&home.path("tidelog-4.2.1.zip"), &files);
        home.wyard(&["receive", archive.to_str().unwrap()]).ends(0);
        let ours = home.path("home/.local/share/wagon-yard/stock/tidelog/4.2.1/bin/tidelog");
        fs::create_dir(home.path("home/bin")).unwrap();
        os::make_link(&ours, &home.path("home/bin/tidelog")).unwrap();
        let file = match *shell {
            "fish" => home.path("home/.config/fish/config.fish"),
            "tcsh" => home.path("home/.cshrc"),
            _ => home.path(&format!("home/.{shell}rc")),
        };
        let before = fs::read_to_string(&file).unwrap();
        fs::write(&file, format!("{before}\n{line}")).unwrap();
        let ran = home.wyard(&["check"]);
        assert_eq!(ran.code, *code, "{shell}: {line}{}{}", ran.out, ran.err);
        ran.says(says);
    });
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
    for (file, is_there) in
        [(".profile", true), (".zshrc", false), (".kshrc", false), (".cshrc", false), (".config", false)]
    {
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

/// What startup files do, one thing each, for shells of the family of POSIX. Without a seal several shells do it in one home, so
/// that what they write bears their number.
const SETTINGS: &[&str] = &[
    "PATH=$HOME/old:$PATH\n",
    "export PATH=\"$PATH:$HOME/old\"\n",
    "alias tidelog=~/old/tidelog\n",
    "tidelog() { ~/old/tidelog \"$@\"; }\n",
    "cd ~/old && PATH=.:$PATH\n",
    "date > ~/stamp.$$; [ -s ~/stamp.$$ ] && PATH=$HOME/old:$PATH\n",
    "echo \"PATH=\\$HOME/old:\\$PATH\" > ~/cache.$$; . ~/cache.$$\n",
    "f=$(mktemp) && echo 'PATH=$HOME/old:$PATH' > \"$f\" && . \"$f\" && rm \"$f\"\n",
    "[ -w ~ ] && PATH=$HOME/old:$PATH\n",
    "[ \"$(id -u)\" = 0 ] && PATH=$HOME/old:$PATH\n",
    "[ \"$(stat -c %u ~)\" = \"$(id -u)\" ] && PATH=$HOME/old:$PATH\n",
    "mkdir -p ~/.lock && PATH=$HOME/old:$PATH\n",
    "ln -sfn /bin/true ~/link.$$ && [ -L ~/link.$$ ] && PATH=$HOME/old:$PATH\n",
    "chmod 700 ~/old && [ -x ~/old ] && PATH=$HOME/old:$PATH\n",
    "mkfifo ~/p.$$ && [ -p ~/p.$$ ] && PATH=$HOME/old:$PATH\n",
    "sleep 30 & PATH=$HOME/old:$PATH\n",
    "touch ~/a.$$ && mv ~/a.$$ ~/b.$$ && [ -f ~/b.$$ ] && PATH=$HOME/old:$PATH\n",
    "rm -rf ~/nothing; PATH=$HOME/old:$PATH\n",
    "umask 077; touch ~/t; PATH=$HOME/old:$PATH\n",
    "ps -p $$ >/dev/null && PATH=$HOME/old:$PATH\n",
    "[ -d /proc/$$ ] && PATH=$HOME/old:$PATH\n",
    "kill -0 $$ && PATH=$HOME/old:$PATH\n",
    "trap 'echo bye' EXIT; PATH=$HOME/old:$PATH\n",
    "[ -t 0 ] && PATH=$HOME/old:$PATH\n",
    "tty >/dev/null && PATH=$HOME/old:$PATH\n",
    "stty -a >/dev/null 2>&1 && PATH=$HOME/old:$PATH\n",
    "[ -e /dev/tty ] && PATH=$HOME/old:$PATH\n",
    "echo x > /dev/null && PATH=$HOME/old:$PATH\n",
    "head -c 1 /dev/urandom >/dev/null && PATH=$HOME/old:$PATH\n",
    "[ -w /tmp ] && PATH=$HOME/old:$PATH\n",
    "[ -w /etc ] && PATH=$HOME/old:$PATH\n",
    "[ -r /etc/passwd ] && PATH=$HOME/old:$PATH\n",
    "exec 9>~/lock.$$ && flock -n 9 && PATH=$HOME/old:$PATH\n",
    "while read -r line; do PATH=$line:$PATH; done < ~/folders\n",
    "eval \"$(echo 'PATH=$HOME/old:$PATH')\"\n",
    "cat <<E >/dev/null\nx\nE\nPATH=$HOME/old:$PATH\n",
    "export TIDELOG_HOME=/opt/old\n",
    "set -e; false || PATH=$HOME/old:$PATH\n",
    "set -u; PATH=$HOME/old:$PATH\n",
    "read -r answer; PATH=$HOME/old:$PATH\n",
    "echo Welcome; printf 'no line end'\n",
    "seq 2000\n",
    "printf '\\033[2J\\007'; PATH=$HOME/old:$PATH\n",
    "hostname >/dev/null && PATH=$HOME/old:$PATH\n",
    "return 0\nPATH=$HOME/old:$PATH\n",
    "exit 3\n",
];

/// Each thing alone and, drawn at random, several together: the answers in a seal are those without one.
#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "seals of this kind are Linux's")]
fn sealed_answers_are_those_without_a_seal() {
    let mut random = fastrand::Rng::with_seed(18);
    let drawn = (0..30).map(|_| {
        let some: Vec<&str> = (0..3).map(|_| SETTINGS[random.usize(..SETTINGS.len() - 2)]).collect();
        some.concat()
    });
    let alone = SETTINGS.iter().map(|one| (*one).to_owned());
    let cases: Vec<(usize, String)> = alone.chain(drawn).enumerate().collect();
    try_each(&cases, |(at, text)| {
        let shell = ["bash", "zsh", "ksh", "sh"][at % 4];
        if !have(shell) {
            return;
        }
        let said = |level: &str| {
            let home = home_at(level, &[shell])?;
            os::set_folder_mode(&home.write("home/old/tidelog", script("3.9")), 0o755).unwrap();
            home.write("home/folders", format!("{}\n", home.path("home/old").display()));
            home.write("home/.profile", text);
            home.write(if shell == "zsh" { "home/.zshrc" } else { "home/.bashrc" }, text);
            let words = ["trace", "tidelog", "ls", "--json", "--unsealed"];
            let told = home.wyard(if level == "none" { &words } else { &words[..4] });
            let place = home.path("").to_str().unwrap().trim_end_matches('/').to_owned();
            let mut document = told.json();
            for callers in document["commands"].as_array_mut().unwrap() {
                // Which line put an entry there is traced in another way.
                callers["callers"].as_array_mut().unwrap().iter_mut().for_each(|caller| {
                    caller["candidates"].as_array_mut().unwrap().iter_mut().for_each(|c| c["origin"] = "".into());
                });
            }
            Some(document.to_string().replace(&place, "HERE"))
        };
        let (Some(sealed), Some(unsealed)) = (said("full"), said("none")) else { return };
        assert_eq!(sealed, unsealed, "{shell}: {text}");
    });
}
