//! What shells do at a prompt and at a terminal and nowhere else, with real terminals as judges.

use std::fs;
use std::io::{Read as _, Write as _};
use std::process::{Command, Stdio};
use std::sync::{Arc, Mutex};
use std::thread;
use std::time::{Duration, Instant};

use wagon_yard_core::os;

use crate::archives::tidelog;
use crate::home::{Home, have, try_each};

/// How long a terminal may take, the slowest machine included.
const PATIENCE: Duration = Duration::from_secs(60);
/// After so long a line is typed once more: what was typed before a shell was ready can be lost.
const AGAIN: Duration = Duration::from_secs(3);

/// Opens a terminal as a person does, types the command, and gives the version that answers; `None` where none does.
fn typed(home: &Home, start: &str) -> Option<&'static str> {
    let mut script = Command::new("script");
    script.args(["-qec", start, "/dev/null"]).stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::null());
    script.env_clear().env("HOME", home.path("home")).env("PATH", "/usr/local/bin:/usr/bin:/bin");
    script.env("TERM", "xterm").env("LANG", "C.UTF-8").current_dir(home.path("home"));
    let mut script = script.spawn().unwrap();
    let (mut keys, mut screen) = (script.stdin.take().unwrap(), script.stdout.take().unwrap());
    let shown = Arc::new(Mutex::new(Vec::new()));
    let into = Arc::clone(&shown);
    thread::spawn(move || {
        let mut part = [0; 4096];
        while let Ok(read @ 1..) = screen.read(&mut part) {
            into.lock().unwrap().extend_from_slice(&part[..read]);
        }
    });
    let (begin, mut last) = (Instant::now(), None::<Instant>);
    let answer = loop {
        let text = String::from_utf8_lossy(&shown.lock().unwrap()).into_owned();
        let found = [
            ("tidelog 3.9", Some("3.9")),
            ("tidelog 4.2.1", Some("4.2.1")),
            ("tidelog: not found", None),
            ("tidelog: command not found", None),
            ("tidelog: Command not found", None),
            ("command not found: tidelog", None),
            ("nknown command: tidelog", None),
        ];
        if let Some((_, answer)) = found.iter().find(|(what, _)| text.contains(what)) {
            break *answer;
        }
        assert!(begin.elapsed() < PATIENCE, "{start} said only:\n{text}");
        if last.is_none_or(|at| at.elapsed() > AGAIN) {
            last = Some(Instant::now());
            let _ = keys.write_all(b"tidelog --version\r");
        }
        thread::sleep(Duration::from_millis(20));
    };
    let _ = keys.write_all(b"\rexit\r");
    drop(keys);
    let _ = script.wait();
    answer
}

/// Where a shell's startup file lies.
fn startup_file(shell: &str) -> String {
    match shell {
        "fish" => "home/.config/fish/config.fish".to_owned(),
        shell => format!("home/.{shell}rc"),
    }
}

/// A home with one shell and an older copy that is not in PATH.
fn home_with_old_copy(shell: &str) -> Home {
    let home = Home::with(&[shell]);
    let old = home.write("home/old/tidelog", "#!/bin/sh\necho tidelog 3.9\n");
    os::set_folder_mode(&old, 0o755).unwrap();
    home
}

/// A shell, its startup file as it is when the tool is received, what somebody adds behind our block later, and the
/// finding that tells of it.
type Case = (&'static str, &'static str, &'static str, Option<&'static str>);

const CASES: &[Case] = &[
    ("bash", "PROMPT_COMMAND='PATH=$HOME/old:$PATH'\n", "", Some("undone-at-prompt")),
    ("bash", "PROMPT_COMMAND=(true 'PATH=$HOME/old:$PATH')\n", "", Some("undone-at-prompt")),
    ("bash", "PROMPT_COMMAND='alias tidelog=~/old/tidelog'\n", "", Some("hidden-by-shell")),
    ("bash", "alias tidelog=~/old/tidelog\nPROMPT_COMMAND='PATH=$PATH:/nowhere'\n", "", Some("hidden-by-shell")),
    ("bash", "PROMPT_COMMAND='PATH=/usr/bin:/bin'\n", "", Some("undone-at-prompt")),
    // Whatever they do with the history, nothing is lost of it; one that fails is no harm.
    ("bash", "PROMPT_COMMAND='history -w; builtin history -w ~/.bash_history; if'\n", "", None),
    ("bash", "readonly HISTFILE\nPROMPT_COMMAND='history -w ~/.bash_history; false'\n", "", None),
    ("bash", "tty -s || return\n", "", None),
    ("bash", "", "[ -t 0 ] && PATH=$HOME/old:$PATH\n", Some("shadowed")),
    ("zsh", "precmd() { path=(~/old $path) }\n", "", Some("undone-at-prompt")),
    ("zsh", "setopt err_exit\nprecmd_functions=(no p); p() { path=(~/old $path) }\n", "", Some("undone-at-prompt")),
    (
        "zsh",
        "setopt ksh_arrays no_unset sh_word_split no_clobber\npreexec() { [[ $1 == tide* ]] && PATH=~/old:$PATH }\n",
        "",
        Some("undone-at-prompt"),
    ),
    ("zsh", "PERIOD=9\nperiodic_functions=(p); p() { path=(~/old $path) }\n", "", Some("undone-at-prompt")),
    ("zsh", "HISTFILE=~/.zsh_history SAVEHIST=9\nprecmd() { fc -W; builtin fc -W; false }\n", "", None),
    ("zsh", "[ -t 0 ] || return\n", "", None),
    ("zsh", "", "[[ -t 1 ]] && path=(~/old $path)\n", Some("shadowed")),
    ("fish", "function p --on-event fish_prompt; set -gx PATH ~/old $PATH; end\n", "", Some("undone-at-prompt")),
    ("fish", "function p --on-event fish_preexec; set -gx PATH ~/old $PATH; end\n", "", Some("undone-at-prompt")),
    ("fish", "function fish_prompt; set -gx PATH ~/old $PATH; echo '> '; end\n", "", Some("undone-at-prompt")),
    ("fish", "abbr -a tidelog ~/old/tidelog\n", "", Some("hidden-by-shell")),
    ("fish", "", "isatty stdout; and set -gx PATH ~/old $PATH\n", Some("shadowed")),
    ("tcsh", "alias precmd 'history -S; set path = (~/old $path)'\n", "", Some("undone-at-prompt")),
    ("tcsh", "alias precmd 'history -S; echo \"a b\" * ? $nothing'\n", "", None),
    ("tcsh", "alias periodic 'setenv PATH ${HOME}/old:${PATH}'\n", "", Some("undone-at-prompt")),
    ("tcsh", "", "tty -s && setenv PATH ${HOME}/old:${PATH}\n", Some("shadowed")),
    ("tcsh", "alias which echo no\nalias where echo no\n", "", None),
    ("tcsh", "if (! $?prompt) exit\n", "setenv PATH /usr/bin:/bin\n", Some("not-found")),
    ("tcsh", "if ($?prompt) set path = (~/old $path)\n", "", None),
    ("tcsh", "", "if ($?prompt) alias precmd 'set path = (~/old $path)'\n", Some("undone-at-prompt")),
    ("ksh", "", "[ -t 2 ] && PATH=$HOME/old:$PATH\n", Some("shadowed")),
    // What looks at the typed line, and at keys; and what shells do by themselves with either.
    (
        "bash",
        "",
        "trap '[ \"$BASH_COMMAND\" = \"tidelog --version\" ] && PATH=$HOME/old:$PATH' DEBUG\n",
        Some("not-proven"),
    ),
    ("bash", "", "p() { :; }; trap p DEBUG; trap 'echo done' WINCH; set -xv\n", None),
    (
        "zsh",
        "",
        "p() { [[ $BUFFER == tide* ]] && BUFFER=~/old/$BUFFER; zle .accept-line }; zle -N accept-line p\n",
        Some("not-proven"),
    ),
    ("zsh", "", "preexec() { : }; zle-line-init() { : }; zle -N zle-line-init; emulate sh; set -x\n", None),
    ("ksh", "", "trap 'PATH=$HOME/old:$PATH' KEYBD\n", Some("shadowed")),
    ("ksh", "", "set -o vi; set -xv; trap : DEBUG\n", None),
    ("fish", "", "function p --on-event fish_preexec; true; end\n", None),
    ("tcsh", "", "set echo verbose\n", None),
];

#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "the program that opens a terminal is called otherwise elsewhere")]
fn what_a_shell_does_only_for_a_person_counts() {
    try_each(CASES, |(shell, first, later, finding)| {
        if !have(shell) || !have("script") {
            return;
        }
        let home = home_with_old_copy(shell);
        let file = home.write(&startup_file(shell), first);
        let histories = [".bash_history", ".zsh_history", ".history"].map(|name| format!("home/{name}"));
        histories.iter().for_each(|history| drop(home.write(history, "typed long ago\n")));
        home.wyard(&["receive", &tidelog(&home, "4.2.1")]);
        let with_block = fs::read_to_string(&file).unwrap();
        fs::write(&file, format!("{with_block}\n{later}")).unwrap();
        let checked = home.wyard(&["check"]);
        let told = format!("{shell}: {first}{later}\n{}{}", checked.out, checked.err);
        assert_eq!(checked.code, i32::from(finding.is_some()), "{told}");
        assert!(finding.is_none_or(|finding| checked.out.contains(&format!("[{finding}]"))), "{told}");
        for history in &histories {
            assert_eq!(fs::read_to_string(home.path(history)).unwrap(), "typed long ago\n", "{history}: {told}");
        }
        // As the superuser a shell that saves its history to a device by a rename would put a file in its place.
        assert!(!fs::metadata("/dev/null").unwrap().is_file(), "{told}");
        let answer = typed(&home, shell);
        assert_eq!(answer == Some("4.2.1"), finding.is_none(), "a person at {shell} gets {answer:?}: {told}");
    });
}

#[test]
#[cfg_attr(windows, ignore = "the shells are those of Unix")]
fn what_takes_a_terminal_for_itself_is_told_and_not_let_loose() {
    let home = Home::new();
    home.write("home/.bashrc", "[ -t 1 ] && exec sleep 0.1\n");
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(1).says("[terminal-taken]").says("not-proven");
    // Within what shares terminals out, no other is started: a question has no business to.
    home.write("home/.bashrc", "[ -t 1 ] && [ -z \"$TMUX$STY$ZELLIJ\" ] && touch ~/started\n");
    home.wyard(&["check"]);
    assert!(!home.path("home/started").exists());
    // An editor's own kind of terminal is not what a new one is.
    let mut home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let with_block = fs::read_to_string(home.path("home/.bashrc")).unwrap();
    home.write("home/.bashrc", format!("{with_block}[ $TERM = dumb ] || PATH=/usr/bin:/bin\n"));
    home.variables.insert("TERM".into(), "dumb".into());
    home.wyard(&["check"]).ends(1).says("[not-found]");
}

#[test]
#[cfg_attr(windows, ignore = "the shells are those of Unix")]
fn a_shell_that_cannot_be_asked_is_not_passed_over() {
    let mut home = Home::new();
    let shell = home.write("odd/shoalsh", "#!/bin/sh\nexit 0\n");
    os::set_folder_mode(&shell, 0o755).unwrap();
    home.variables.insert("SHELL".into(), shell.to_str().unwrap().into());
    // Whoever names the shells that count has decided.
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    home.settings("shell_seconds = 20\n");
    home.wyard(&["register", "tidelog"]);
    home.wyard(&["check"]).ends(1).says("[shell-unknown]").says("settings.toml: shells = [\"bash\"]");
    home.wyard(&["survey"]).says("[shell-unknown]");
    // A known one that lies elsewhere is the one that is asked.
    let own = home.path("odd/bash");
    fs::write(&own, "#!/bin/sh\nexport PATH=/usr/bin:/bin\nexec /bin/bash --norc --noprofile \"$@\"\n").unwrap();
    os::set_folder_mode(&own, 0o755).unwrap();
    home.variables.insert("SHELL".into(), own.to_str().unwrap().into());
    home.settings("shells = [\"bash\"]\nshell_seconds = 20\n");
    home.wyard(&["check"]).ends(1).says("[not-found]");
    for closed in ["/usr/sbin/nologin", "/bin/false"] {
        home.variables.insert("SHELL".into(), closed.into());
        home.wyard(&["check"]).ends(0);
    }
}

/// What people write into startup files, and what breaks other people's questions.
const POSIX: &[&str] = &[
    "PATH=\"$HOME/old:$PATH\"",
    "export PATH=$PATH:$HOME/old",
    "PATH=/usr/bin:/bin",
    "case $- in *i*) ;; *) return ;; esac",
    "[ -z \"$PS1\" ] && return",
    "[ -t 0 ] || return",
    "[ -t 1 ] && PATH=$HOME/old:$PATH",
    "case \":$PATH:\" in *\":$HOME/old:\"*) ;; *) PATH=$HOME/old:$PATH ;; esac",
    "alias tidelog='echo tidelog 3.9'",
    "tidelog() { echo tidelog 3.9; }",
    "[ \"$TERM\" = dumb ] || PATH=$HOME/old:$PATH",
    "set -u",
    "set -f",
    "set -o noclobber",
    "echo welcome",
    "cd /tmp",
    "IFS=:",
    "TERM=dumb",
    "unset HOME",
    "set -- a b c",
    "trap : EXIT",
    "printf() { echo no; }",
    "type() { echo no; }",
    "readonly PATH",
];
const BASH: &[&str] = &[
    "PROMPT_COMMAND='PATH=$HOME/old:$PATH'",
    "PROMPT_COMMAND+=('alias tidelog=\"echo tidelog 3.9\"')",
    "trap 'PATH=$HOME/old:$PATH' DEBUG",
    "shopt -s failglob nullglob",
    "set -o posix",
    "hash -p ~/old/tidelog tidelog",
];
const ZSH: &[&str] = &[
    "path=(~/old $path)",
    "precmd() { path=(~/old $path) }",
    "preexec_functions+=(p); p() { path=(~/old $path) }",
    "alias -g tidelog='echo tidelog 3.9'",
    "hash tidelog=~/old/tidelog",
    "setopt ksh_arrays sh_word_split",
    "setopt no_unset err_return warn_create_global",
    "emulate sh",
    "setopt no_function_argzero posix_builtins no_hash_cmds",
];
const FISH: &[&str] = &[
    "set -gx PATH ~/old $PATH",
    "fish_add_path ~/old",
    "status is-interactive; or return",
    "isatty stdin; and set -gx PATH ~/old $PATH",
    "function tidelog; echo tidelog 3.9; end",
    "abbr -a tidelog ~/old/tidelog",
    "function p --on-event fish_prompt; set -gx PATH ~/old $PATH; end",
    "function fish_prompt; set -gx PATH ~/old $PATH; echo '> '; end",
    "set -gx PATH /usr/bin /bin",
    "set -e PATH",
    "echo welcome",
    "cd /tmp",
];
const TCSH: &[&str] = &[
    "setenv PATH ${HOME}/old:${PATH}",
    "set path = ($path ~/old)",
    "if (! $?prompt) exit",
    "if ($?prompt) set path = (~/old $path)",
    "alias tidelog echo tidelog 3.9",
    "alias precmd 'set path = (~/old $path)'",
    "alias which echo no",
    "setenv PATH /usr/bin:/bin",
    "set noglob",
    "set noclobber",
    "unhash",
    "cd /tmp",
];

#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "the program that opens a terminal is called otherwise elsewhere")]
fn no_machine_is_called_good_whose_terminals_say_otherwise() {
    let rounds = std::env::var("WYARD_RANDOM_MACHINES").ok().and_then(|n| n.parse().ok()).unwrap_or(4);
    for (seed, shell) in (0..rounds).flat_map(|seed| ["bash", "zsh", "fish", "tcsh", "ksh"].map(|shell| (seed, shell)))
    {
        if !have(shell) || !have("script") {
            continue;
        }
        let pieces = match shell {
            "bash" => [POSIX, BASH].concat(),
            "zsh" => [POSIX, ZSH].concat(),
            "fish" => FISH.to_vec(),
            "tcsh" => TCSH.to_vec(),
            _ => POSIX.to_vec(),
        };
        let mut random = fastrand::Rng::with_seed(seed);
        let home = home_with_old_copy(shell);
        let mut files = vec![startup_file(shell)];
        match shell {
            "fish" => files.push("home/.config/fish/conf.d/first.fish".to_owned()),
            "tcsh" => files.push("home/.login".to_owned()),
            "zsh" => files.extend(["home/.zshenv", "home/.zprofile"].map(str::to_owned)),
            _ => files.push("home/.profile".to_owned()),
        }
        files.retain(|_| random.u8(..4) > 0);
        for file in &files {
            let lines: Vec<&str> = (0..random.usize(..3)).map(|_| pieces[random.usize(..pieces.len())]).collect();
            home.write(file, lines.join("\n") + "\n");
        }
        home.wyard(&["receive", &tidelog(&home, "4.2.1")]);
        // Somebody adds a line behind ours.
        let edited: Vec<&String> = files.iter().filter(|_| random.u8(..3) == 0).collect();
        for file in edited {
            let text = fs::read_to_string(home.path(file)).unwrap();
            home.write(file, text + pieces[random.usize(..pieces.len())] + "\n");
        }
        let checked = home.wyard(&["check"]);
        if checked.code == 0 {
            for start in [shell.to_owned(), format!("{shell} -l")] {
                let answer = typed(&home, &start);
                let texts: Vec<_> = files.iter().map(|file| fs::read_to_string(home.path(file))).collect();
                assert_eq!(answer, Some("4.2.1"), "seed {seed}, {start}: {files:?} {texts:#?}\n{}", checked.out);
            }
        }
    }
}
