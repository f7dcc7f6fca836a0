//! Random machines, and what a person sees there: a command is typed into real terminals of them, after some time, and more than
//! once. Nothing here knows how the program asks. `WYARD_TYPED_MACHINES` says how many, `WYARD_TEST_SEED` which.

use std::path::Path;
use std::process::Command;
use std::time::Duration;

use wagon_yard_core::environment::Environment;
use wagon_yard_core::os;
use wagon_yard_core::process::{self, Line, SealOptions, Sealer, Start, Typing, side_by_side};
use wagon_yard_core::progress::Stop;
use wagon_yard_core::system::System;

use crate::archives::{script, zip};
use crate::home::{Home, have, have_layers, thorough};

/// What people have in startup files of the family of POSIX, for a tool called tidex and an old copy of it in `~/old/bin`.
const POSIX: &[&str] = &[
    "",
    "export PATH=\"$HOME/old/bin:$PATH\"",
    "PATH=$PATH:$HOME/old/bin",
    "alias tidex=\"tidex --color\"",
    "alias tidex=$HOME/old/bin/tidex",
    "tidex(){ command tidex \"$@\"; }",
    "tidex(){ $HOME/old/bin/tidex \"$@\"; }",
    "tidex(){ if [ $# -gt 0 ]; then $HOME/old/bin/tidex \"$@\"; else command tidex; fi; }",
    "tidex(){ case \"$1\" in --version) command tidex \"$@\";; *) $HOME/old/bin/tidex \"$@\";; esac; }",
    "set -u",
    "umask 077",
    "cd /tmp",
    "echo hello",
    "[ -t 0 ] && PATH=\"$HOME/old/bin:$PATH\"",
    "case $- in *i*) PATH=\"$HOME/old/bin:$PATH\";; esac",
    "[ \"$PWD\" = \"$HOME\" ] || PATH=\"$HOME/old/bin:$PATH\"",
    "PATH=$HOME/old/bin:/usr/bin:/bin",
    "IFS=:",
    "trap 'echo bye' EXIT",
    "exec 3</dev/null",
    "[ -e ~/.mark ] || date > ~/.mark",
    "ulimit -v 2000000",
    "ulimit -n 16",
    "trap '' USR2",
    "export TERM=wonky",
    "export SHELL=/gone/sh",
    "export __TIDE=1",
    "if [ -f ~/.seen ]; then PATH=$HOME/old/bin:$PATH; else touch ~/.seen; fi",
    "n=$(cat ~/.count 2>/dev/null); n=${n:-0}; echo $((n+1)) > ~/.count; [ $((n%2)) = 0 ] || PATH=$HOME/old/bin:$PATH",
    "[ -w \"$HARBOUR\" ] && PATH=$HOME/old/bin:$PATH",
    "date > ~/.last && PATH=$PATH:$HOME/old/bin",
    "mkdir -p ~/.cache/tide && PATH=$HOME/old/bin:$PATH",
    "[ $(($$ % 2)) = 0 ] && PATH=$HOME/old/bin:$PATH",
    "[ \"$(id -Gn)\" = nogroup ] || PATH=$HOME/old/bin:$PATH",
    "set -xv",
    "umask 777",
    "ulimit -f 0",
    "cd /",
];

const BASH: &[&str] = &[
    "PROMPT_COMMAND='PATH=\"$HOME/old/bin:$PATH\"'",
    "PROMPT_COMMAND='history -a'",
    "PROMPT_COMMAND='_n=$((_n+1)); [ $_n -lt 2 ] || PATH=\"$HOME/old/bin:$PATH\"'",
    "hash -p $HOME/old/bin/tidex tidex",
    "trap 'PATH=$HOME/old/bin:$PATH' USR1; (sleep 2; kill -USR1 $$) &",
    "bind '\"\\C-xq\": self-insert' 2>/dev/null",
    "bind '\"\\C-m\": \"\\C-a~/old/bin/\\C-j\"' 2>/dev/null",
    "set -o vi",
];

const ZSH: &[&str] = &[
    "typeset -U path; path=(~/old/bin $path)",
    "precmd(){ PATH=\"$HOME/old/bin:$PATH\" }",
    "hash tidex=$HOME/old/bin/tidex",
    "setopt ksh_arrays sh_word_split",
    "zmodload zsh/sched; sched +2 \"path=(~/old/bin \\$path)\"",
    "exec {fd}< <(sleep 2; echo go); _h(){ zle -F $1; exec {1}<&-; path=(~/old/bin $path) }; zle -F $fd _h",
    "bindkey -v",
    "alias -g tidex=\"tidex --x\"",
    "zle-line-init(){ path=(~/old/bin $path) }; zle -N zle-line-init",
    "_old(){ BUFFER=\"~/old/bin/$BUFFER\"; zle .accept-line }; zle -N accept-line _old",
    "_same(){ zle .accept-line }; zle -N accept-line _same",
];

const FISH: &[&str] = &[
    "",
    "set -gx PATH ~/old/bin $PATH",
    "fish_add_path ~/old/bin",
    "alias tidex \"tidex --color\"",
    "alias tidex ~/old/bin/tidex",
    "function fish_prompt; set -gx PATH ~/old/bin $PATH; echo '> '; end",
    "if status is-interactive; set -gx PATH ~/old/bin $PATH; end",
    "set -g fish_greeting",
    "function tidex; command tidex $argv; end",
    "set -gx TERM wonky",
    "bind \\r 'commandline -r \"~/old/bin/\"(commandline); commandline -f execute'",
    "if test -f ~/.seen; set -gx PATH ~/old/bin $PATH; else; touch ~/.seen; end",
];

const TCSH: &[&str] = &[
    "",
    "set path = ( ~/old/bin $path )",
    "alias tidex ~/old/bin/tidex",
    "alias tidex \"tidex --color\"",
    "alias precmd \"setenv PATH ${HOME}/old/bin:\\$PATH\"",
    "if ($?prompt) set path = ( ~/old/bin $path )",
    "limit descriptors 16",
    "setenv TERM wonky",
];

/// Programs that look at more than their arguments.
const TOOLS: &[&str] = &[
    "",
    "[ \"$TERM\" = wonky ] && { echo 'unknown terminal' >&2; exit 127; }",
    "[ -z \"$__TIDE\" ] || { echo 'no tide' >&2; exit 127; }",
    "[ \"$SHELL\" = /gone/sh ] && exec \"$SHELL\"",
    "[ -t 1 ] && { echo 'cannot initialise terminal' >&2; exit 127; }",
    "[ \"$(ulimit -n)\" -lt 32 ] && { echo 'too few descriptors' >&2; exit 1; }",
    "[ \"$(umask)\" = 0077 ] && { echo 'files would be unreadable' >&2; exit 1; }",
    "[ \"$(pwd)\" = /tmp ] && { echo 'not in this folder' >&2; exit 1; }",
];

/// One machine.
struct Random {
    shell: &'static str,
    files: Vec<(&'static str, String)>,
    late: Option<(&'static str, &'static str)>,
    tool: &'static str,
}

impl Random {
    fn new(seed: u64) -> Self {
        let mut random = fastrand::Rng::with_seed(seed);
        let shell = ["bash", "bash", "zsh", "zsh", "fish", "tcsh", "ksh"][random.usize(..7)];
        let places: &[&str] = match shell {
            "bash" => &[".bashrc", ".bash_profile", ".profile"],
            "zsh" => &[".zshrc", ".zshenv", ".zprofile", ".zlogin"],
            "fish" => &[".config/fish/config.fish"],
            "tcsh" => &[".tcshrc"],
            _ => &[".kshrc", ".profile"],
        };
        let line = |place: &str, random: &mut fastrand::Rng| -> &'static str {
            let own: &[&str] = match shell {
                "bash" if place != ".profile" => BASH,
                "zsh" => ZSH,
                "fish" => return FISH[random.usize(..FISH.len())],
                "tcsh" => return TCSH[random.usize(..TCSH.len())],
                _ => &[],
            };
            if random.u8(..10) < 6 || own.is_empty() {
                POSIX[random.usize(..POSIX.len())]
            } else {
                own[random.usize(..own.len())]
            }
        };
        let mut files = Vec::new();
        for (at, place) in places.iter().enumerate() {
            if random.u8(..100) < if at == 0 { 75 } else { 40 } {
                let count = random.usize(1..3);
                let mut text: String = (0..count).map(|_| format!("{}\n", line(place, &mut random))).collect();
                if *place == ".bash_profile" && random.bool() {
                    text.push_str("[ -f ~/.bashrc ] && . ~/.bashrc\n");
                }
                files.push((*place, text));
            }
        }
        let late =
            random.bool().then(|| places[random.usize(..places.len())]).map(|place| (place, line(place, &mut random)));
        let tool = if random.bool() { TOOLS[random.usize(..TOOLS.len())] } else { "" };
        Self { shell, files, late, tool }
    }

    fn mentions(&self, word: &str) -> bool {
        self.files.iter().any(|(_, text)| text.contains(word)) || self.late.is_some_and(|(_, line)| line.contains(word))
    }

    /// What the program says, and what terminals show.
    fn judge(&self) -> (i32, bool, String) {
        let mut home = Home::with(&[self.shell, "sh"]);
        home.settings(&format!("shells = [\"{}\", \"sh\"]\nshell_seconds = 20\n", self.shell));
        let harbour = tempfile::tempdir_in("/var/tmp").unwrap();
        home.variables.insert("LC_HARBOUR".to_owned(), harbour.path().to_str().unwrap().to_owned());
        for (place, text) in &self.files {
            home.write(&format!("home/{place}"), text.replace("$HARBOUR", "$LC_HARBOUR"));
        }
        os::set_folder_mode(&home.write("home/old/bin/tidex", script("0.9.0 OLD")), 0o755).unwrap();
        let program = format!("#!/bin/sh\n{}\necho tidex 1.2.3\n", self.tool);
        let archive = zip(&home.path("tidex-1.2.3.zip"), &[("tidex-1.2.3/bin/tidex", &program, 0o755)]);
        let mut ran = home.wyard(&["receive", archive.to_str().unwrap()]);
        if let Some((place, line)) = self.late.filter(|_| ran.code < 2) {
            let file = home.path(&format!("home/{place}"));
            let before = std::fs::read_to_string(&file).unwrap_or_default();
            home.write(&format!("home/{place}"), format!("{before}{}\n", line.replace("$HARBOUR", "$LC_HARBOUR")));
            ran = home.wyard(&["check"]);
        }
        let ways = [
            (self.shell, "login"),
            (self.shell, "interactive"),
            (self.shell, "command"),
            ("sh", "login"),
            ("sh", "command"),
        ];
        let rounds = if ["seen", "count", "mark"].iter().any(|word| self.mentions(word)) { 2 } else { 1 };
        let mut shown = Vec::new();
        for _ in 0..rounds {
            let of_round = side_by_side(&ways, 5, |(shell, way)| {
                let said = self.typed(&home, shell, way);
                let new = said.contains("tidex 1.2.3") && !said.contains("0.9.0 OLD");
                (new, format!("{shell} {way}: {}", if new { "new" } else { said.lines().last().unwrap_or_default() }))
            });
            shown.extend(of_round);
        }
        let all_new = shown.iter().all(|(new, _)| *new);
        let told = shown.into_iter().map(|(_, told)| told).collect::<Vec<_>>().join("\n");
        (ran.code, all_new, format!("{told}\n{}{}", ran.out, ran.err))
    }

    /// What a terminal shows when the command is typed there.
    fn typed(&self, home: &Home, shell: &str, way: &str) -> String {
        // A function may look at what is behind its name.
        let lines = ["tidex --version", "tidex"];
        let program = Path::new("/bin").join(if shell == "sh" { "dash" } else { shell });
        let mut environment = Environment::new(System::Unix);
        for (name, value) in [("PATH", "/usr/local/bin:/usr/bin:/bin"), ("TERM", "xterm-256color")] {
            environment.set(name, value);
        }
        environment.set("HOME", home.path("home"));
        environment.set("LC_HARBOUR", home.variables["LC_HARBOUR"].clone());
        if way == "command" {
            let mut command = Command::new(&program);
            os::set_called_name(&mut command, format!("-{shell}").as_ref());
            command.args(["-c", &lines.join("; ")]).env_clear().envs(&environment).current_dir(home.path("home"));
            let outcome = process::run(command, Duration::from_secs(20), &Stop::default());
            return String::from_utf8_lossy(&[outcome.stdout, outcome.stderr].concat()).into_owned();
        }
        // The terminal is its own, as that of a window is.
        let start = Start::new(Path::new("/usr/bin/setsid"), &environment, &home.path("home"));
        let called = format!("{}{shell}", if way == "login" { "-" } else { "" });
        let start = start
            .with(["--wait", "--ctty", "bash", "-c", "exec -a \"$0\" \"$1\"", &called])
            .with([program.as_os_str()]);
        let later = ["sched", "zle -F", "USR1"].iter().any(|word| self.mentions(word));
        let after = if later { Duration::from_secs(4) } else { Duration::from_millis(400) };
        let next = |answered: usize, _: &[u8]| match answered {
            0 => Some(Line { text: lines[0].to_owned(), after }),
            // Its session is not ours to end.
            1 => Some(Line::from(format!("{}\rexit", lines[1]))),
            _ => None,
        };
        let shows = |output: &[u8], what: &str| String::from_utf8_lossy(output).matches(what).count();
        let is_answered = |output: &[u8], lines| shows(output, "tidex 1.2.3") + shows(output, "0.9.0 OLD") >= lines;
        // Nobody types the same again.
        let typing = Typing { next: &next, is_answered: &is_answered, is_begun: &|_, _| true, ahead: false };
        let limit = after + Duration::from_secs(6);
        let outcome = Sealer::none().run_typed(&start, typing, SealOptions::of_terminal(), limit, &Stop::default());
        String::from_utf8_lossy(&outcome.stdout).into_owned()
    }
}

#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "seals of this kind are Linux's")]
fn what_is_good_is_good_when_it_is_typed() {
    if !have_layers() {
        return;
    }
    let set = |name: &str| std::env::var(name).ok().and_then(|number| number.parse::<u64>().ok());
    let (count, first) =
        (set("WYARD_TYPED_MACHINES").unwrap_or(if thorough() { 30 } else { 10 }), set("WYARD_TEST_SEED").unwrap_or(1));
    let seeds: Vec<u64> = (first..first + count).collect();
    let judged = side_by_side(&seeds, 6, |seed| {
        let machine = Random::new(*seed);
        if !have(machine.shell) || !have("dash") {
            return None;
        }
        let (code, all_new, told) = machine.judge();
        let of = format!(
            "seed {seed}, {}: {:?}, late {:?}, tool {}\n{told}",
            machine.shell, machine.files, machine.late, machine.tool
        );
        match (code, all_new) {
            (0, false) => eprintln!("falsely good: {of}"),
            (0, true) | (1, false) => {}
            // What is left to chance may go well a few times.
            (1, true) if machine.mentions("$$ %") => return None,
            (1, true) => eprintln!("falsely bad: {of}"),
            _ => eprintln!("exit {code}: {of}"),
        }
        Some((code, all_new))
    });
    let counted = |wanted: (i32, bool)| judged.iter().flatten().filter(|found| **found == wanted).count();
    let of = [(0, true), (1, false), (0, false), (1, true)].map(counted);
    let [good, bad, falsely_good, falsely_bad] = of;
    eprintln!("{good} good, {bad} not good, {falsely_good} falsely good, {falsely_bad} falsely bad");
    assert_eq!(falsely_good, 0);
    assert!(of.iter().sum::<usize>() == judged.iter().flatten().count(), "some ended with an error");
    assert!(falsely_bad * 50 <= judged.len().max(50), "{falsely_bad} of {}", judged.len());
}
