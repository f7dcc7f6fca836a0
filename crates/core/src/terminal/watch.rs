//! What a shell says of itself that decides whether its first answer holds: what it will do later, and what it does to a line
//! that is typed.

use std::time::Duration;

use super::quoting::PRINT;
use super::start_mode::StartMode;
use super::startup_texts::StartupText;
use crate::resolve::Shell;

/// What a trap waits for that is no signal, or ends the shell.
const NO_SIGNALS: [&str; 6] = ["EXIT", "0", "ERR", "ZERR", "RETURN", "TRAP"];

/// What a trap waits for that comes with a typed line (bash(1), `trap`; ksh(1), "Traps").
const BEFORE_LINES: [&str; 2] = ["DEBUG", "KEYBD"];

/// Signals that people and terminals send: a trap on one that changes nothing says nothing about what comes by itself.
const FROM_PEOPLE: [&str; 9] = ["INT", "QUIT", "TERM", "HUP", "TSTP", "TTIN", "TTOU", "PIPE", WINDOW_CHANGE];

/// What every terminal gets sooner or later.
const WINDOW_CHANGE: &str = "WINCH";

/// How long a terminal is left alone before it is asked again, where something may come later.
const IDLE: Duration = Duration::from_secs(5);

/// The longest that is waited for something that a startup file has announced.
const LONGEST_IDLE: Duration = Duration::from_secs(20);

/// What a shell has in store.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Watch {
    /// Whether it will do something without being asked: a timer, a descriptor that is listened to, a trap on a signal.
    pub defers: bool,
    /// Whether keys do something else to a line than in a new shell, or hooks look at it before it runs.
    pub rewrites: bool,
    /// Whether commands may mean something else after the window was resized.
    pub resizes: bool,
}

/// The commands, in the shell's own language, that print what [`Watch::parse`] reads: `trap`, timers and key bindings.
pub(super) fn text(shell: Shell, mode: StartMode) -> String {
    let is_typed = mode != StartMode::LoginCommand;
    match shell {
        Shell::Bash if is_typed => {
            "\\builtin trap -p; \\builtin test -z \"${_wyard_trap-}\" || \\builtin printf \"trap -- '' DEBUG\\n\"; \\builtin bind -s 2>/dev/null; \\builtin bind -X 2>/dev/null; \\builtin bind -q accept-line 2>/dev/null"
                .to_owned()
        }
        Shell::Bash => "\\builtin trap -p".to_owned(),
        Shell::Zsh if is_typed => "\\builtin trap; \\builtin typeset +f -m 'TRAP*' 2>/dev/null; \\builtin zle -F -L 2>/dev/null; \
             \\builtin zle -lL 2>/dev/null; \\builtin bindkey ' ' 2>/dev/null; \\builtin bindkey '^M' 2>/dev/null; \
             [[ -n \"$preexec_functions$(\\builtin typeset +f preexec)\" || \"$(\\builtin emulate zsh -c \
             '\\builtin typeset -f ${${(v)widgets[(I)zle-line-*]}#user:}' 2>/dev/null)\" == *BUFFER* ]] && \\builtin print -r -- preexec; \
             \\builtin zmodload -e zsh/sched && { \\builtin print -r -- sched; \\builtin sched; }"
            .to_owned(),
        Shell::Zsh => "\\builtin trap".to_owned(),
        Shell::Ksh | Shell::Sh => "\\command trap".to_owned(),
        Shell::Fish if is_typed => {
            "begin; functions --handlers-type signal; functions --handlers-type generic; functions --handlers-type process-exit; functions --handlers-type job-exit; bind --user; bind \\r; bind \\n; end 2>/dev/null | string match '*'".to_owned()
        }
        Shell::Tcsh if is_typed => format!("{PRINT} 'sched\\n'; sched; bindkey \"^M\""),
        Shell::Fish | Shell::Tcsh | Shell::Cmd | Shell::PowerShell | Shell::Pwsh => String::new(),
    }
}

impl Watch {
    /// Reads what [`text`] has printed.
    pub(super) fn parse(shell: Shell, said: &str) -> Self {
        let mut watch = Self::default();
        let mut lines = said.lines().map(str::trim).filter(|line| !line.is_empty());
        // What an answer of bash without a line editor lacks.
        let mut ends_lines = shell != Shell::Bash || !said.contains("accept-line");
        let mut trap = None;
        while let Some(line) = lines.next() {
            if line.starts_with("trap ") || line.starts_with("TRAP") && line.ends_with('{') {
                trap = Some(Trap { signal: line.trim_start_matches("TRAP").split(' ').next(), changes: false });
            }
            if let Some(open) = &mut trap {
                open.changes |= CHANGES.iter().any(|word| line.contains(word));
                if let Some(signal) = open.ends_with(line) {
                    watch.take_in(signal, open.changes);
                    trap = None;
                }
                continue;
            }
            match line.split_whitespace().collect::<Vec<_>>()[..] {
                ["sched"] => {
                    watch.defers |=
                        lines.clone().next().is_some_and(|line| line.starts_with(|c: char| c.is_ascii_digit()));
                }
                ["zle", "-F" | "-Fw", ..] => watch.defers = true,
                ["zle", "-N", widget, ..] => {
                    watch.rewrites |= ["accept-line", "self-insert"].contains(&widget);
                }
                // A function that is called around each line, and may do something to it.
                ["preexec"] => watch.rewrites |= shell == Shell::Zsh,
                [key @ ("\"^M\"" | "\" \""), widget] if shell == Shell::Zsh => {
                    let usual = ["accept-line", "self-insert", "magic-space"];
                    watch.rewrites |= !usual.contains(&widget) || key == "\"^M\"" && widget != "accept-line";
                }
                ["\"", "\"", widget] if shell == Shell::Zsh => {
                    watch.rewrites |= !["self-insert", "magic-space"].contains(&widget);
                }
                ["bind", .., does] if shell == Shell::Fish => {
                    let is_of_enter = [" \\r ", " \\n ", " enter "].iter().any(|key| line.contains(key));
                    let is_of_character = line.contains(" '' ") || line.contains(" space ") || line.contains(" ' ' ");
                    watch.rewrites |=
                        is_of_enter && does != "execute" || is_of_character && !line.contains("self-insert");
                }
                [signal, handler] if shell == Shell::Fish && signal.starts_with("SIG") => {
                    watch.take_in(signal.trim_start_matches("SIG"), !is_of_fish(handler));
                }
                ["fish_preexec", handler] if shell == Shell::Fish => watch.rewrites |= !is_of_fish(handler),
                // Said only where there are some.
                ["Event", "process-exit" | "job-exit"] => watch.defers = true,
                ["\"^M\"", .., does] if shell == Shell::Tcsh => watch.rewrites |= does != "newline",
                _ if shell == Shell::Bash && line.contains("accept-line can be") => {
                    ends_lines |= line.contains("\"\\C-m\"");
                }
                _ if shell == Shell::Bash && line.starts_with('"') => {
                    let key = line[1..].split("\":").next().unwrap_or_default();
                    watch.rewrites |= key.chars().count() == 1 || matches!(key, "\\C-m" | "\\C-j" | "\\r" | "\\n");
                }
                _ => {}
            }
        }
        watch.rewrites |= !ends_lines;
        watch
    }

    /// Takes in a trap, and whether it changes what commands mean.
    fn take_in(&mut self, signal: &str, changes: bool) {
        self.rewrites |= BEFORE_LINES.contains(&signal);
        self.resizes |= signal == WINDOW_CHANGE && changes;
        let is_usual =
            FROM_PEOPLE.contains(&signal) && !changes || [&NO_SIGNALS[..], &BEFORE_LINES].concat().contains(&signal);
        self.defers |= !is_usual;
    }
}

/// Whether fish brings a function itself: those change no commands.
fn is_of_fish(function: &str) -> bool {
    function.starts_with("fish_") || function.starts_with("__fish")
}

/// A trap that is being read.
struct Trap<'a> {
    /// Of a function of zsh, which is called like its signal; behind the commands otherwise.
    signal: Option<&'a str>,
    changes: bool,
}

/// Words by which a trap changes what commands mean.
const CHANGES: [&str; 6] = ["PATH", "path=", "path+=", "alias ", "hash ", "source "];

impl<'a> Trap<'a> {
    /// The signal, where this is the last line.
    fn ends_with(&self, line: &'a str) -> Option<&'a str> {
        match self.signal {
            Some("trap") | None => {
                let (before, signal) = line.rsplit_once(' ')?;
                let is_name = signal.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit() || "+-".contains(c));
                (is_name && (before.ends_with('\'') || before.starts_with("trap ")))
                    .then(|| signal.trim_start_matches("SIG"))
            }
            Some(of_function) => (line == "}").then_some(of_function),
        }
    }
}

/// How long a terminal is left alone before it is asked again, by what startup files say of timers and sleeps; `None` where
/// that is longer than anybody waits.
pub(super) fn idle(texts: &[StartupText]) -> Option<Duration> {
    let code = texts.iter().flat_map(|text| text.text.lines()).filter(|line| !line.trim_start().starts_with('#'));
    let after = |line: &str, word: &str| -> Vec<String> {
        line.match_indices(word)
            .map(|(at, _)| {
                line[at + word.len()..].split([' ', ';', '&', ')', '"', '\'']).next().unwrap_or_default().to_owned()
            })
            .collect()
    };
    let mut longest = IDLE;
    for line in code {
        for number in after(line, "sleep ").into_iter().chain(after(line, "sched +")) {
            // "HH:MM", "$VARIABLE", "1h"
            let Ok(seconds) = number.parse::<f64>() else { return None };
            longest = longest.max(Duration::try_from_secs_f64(seconds + 2.0).ok()?);
        }
    }
    (longest <= LONGEST_IDLE).then_some(longest)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_shell_has_in_store_is_read() {
        for (shell, said, defers, rewrites) in [
            (
                Shell::Bash,
                "trap -- 'echo bye' EXIT\ntrap -- '' SIGINT\naccept-line can be invoked via \"\\C-j\", \"\\C-m\".\n",
                false,
                false,
            ),
            (Shell::Bash, "trap -- 'PATH=/old' SIGUSR1\n", true, false),
            (Shell::Bash, "\"\\C-m\": \"x\\C-j\"\naccept-line can be invoked via \"\\C-j\".\n", false, true),
            (Shell::Bash, "accept-line can be invoked via \"\\C-j\".\n", false, true),
            (Shell::Bash, "\" \": magic\naccept-line can be invoked via \"\\C-m\".\n", false, true),
            (Shell::Bash, "\"\\C-xq\": \"ls\"\naccept-line can be invoked via \"\\C-m\".\n", false, false),
            (Shell::Bash, "", false, false),
            (Shell::Zsh, "zle -N my-widget\n\"^M\" accept-line\n\" \" self-insert\nsched\n", false, false),
            (Shell::Zsh, "sched\n  1 Tue Dec  1 11:30:00 path=(~/old $path)\n", true, false),
            (Shell::Zsh, "zle -F 12 _h\n", true, false),
            (Shell::Zsh, "TRAPUSR1 () {\n\tpath=(~/old $path)\n}\n\" \" self-insert\n", true, false),
            (Shell::Zsh, "TRAPINT () {\n\techo no\n}\n", false, false),
            (Shell::Bash, "trap -- 'echo\nPATH=/old' SIGUSR1\n", true, false),
            (Shell::Bash, "trap -- 'PATH=/old' SIGHUP\n", true, false),
            (Shell::Bash, "trap -- 'PATH=/old' DEBUG\naccept-line can be invoked via \"\\C-m\".\n", false, true),
            (Shell::Fish, "Event generic\nfish_preexec before\n", false, true),
            (Shell::Fish, "Event generic\nfish_preexec __fish_disable_bracketed_paste\n", false, false),
            (Shell::Bash, "trap -- 'echo PATH' EXIT\n", false, false),
            (Shell::Fish, "Event signal\n\nEvent process-exit\n\n", true, false),
            (Shell::Zsh, "zle -N accept-line my-accept\n", false, true),
            (Shell::Zsh, "\"^M\" my-accept\n", false, true),
            (Shell::Zsh, "zle -N zle-line-finish\npreexec\n", false, true),
            (Shell::Zsh, "\" \" my-space\n", false, true),
            (Shell::Ksh, "trap -- x KEYBD\n", false, true),
            (Shell::Fish, "Event signal\nSIGUSR1 on_signal\n", true, false),
            (Shell::Fish, "Event signal\nSIGTRAP fish_sigtrap_handler\nSIGWINCH __fish_winch_handler\n", false, false),
            (Shell::Fish, "bind --preset \\r execute\nbind --preset '' self-insert\n", false, false),
            (Shell::Fish, "bind \\r 'commandline -r x; commandline -f execute'\n", false, true),
            (Shell::Tcsh, "sched\n\"^M\"\t\t->  newline\n", false, false),
            (Shell::Tcsh, "sched\n     1\tTue Dec  1 11:30\tsetenv PATH /old\n", true, false),
        ] {
            let expected = Watch { defers, rewrites, resizes: false };
            assert_eq!(Watch::parse(shell, said), expected, "{shell:?} {said}");
        }
        for (shell, said, resizes) in [
            (Shell::Bash, "trap -- 'PATH=/old' SIGWINCH\n", true),
            (Shell::Ksh, "trap -- $'echo\\nPATH=/old' WINCH\n", true),
            (Shell::Bash, "trap -- 'echo' SIGWINCH\n", false),
            (Shell::Fish, "Event signal\nSIGWINCH on_resize\n", true),
        ] {
            assert_eq!(Watch::parse(shell, said).resizes, resizes, "{shell:?} {said}");
        }
    }

    #[test]
    fn what_is_announced_is_waited_for() {
        let of = |text: &str| {
            idle(&[StartupText { file: "/h/rc".into(), text: text.to_owned() }]).map(|idle| idle.as_secs())
        };
        let cases =
            [("", Some(5)), ("# sleep 100", Some(5)), ("(sleep 8; kill -USR1 $$) &", Some(10)), ("sched +60 x", None)];
        for (text, expected) in [&cases[..], &[("sched 12:00 x", Some(5)), ("sleep $N", None)]].concat() {
            assert_eq!(of(text), expected, "{text}");
        }
    }
}
