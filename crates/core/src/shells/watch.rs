//! What a shell says of itself that decides whether its first answer holds: what it will do later, and what it does to a line
//! that is typed.

/// What a trap waits for that is no signal, or ends the shell.
const NO_SIGNALS: [&str; 6] = ["EXIT", "0", "ERR", "ZERR", "RETURN", "TRAP"];

/// What a trap waits for that comes with a typed line (bash(1), `trap`; ksh(1), "Traps").
const BEFORE_LINES: [&str; 2] = ["DEBUG", "KEYBD"];

/// Signals that people and terminals send: a trap on one that changes nothing says nothing about what comes by itself.
const FROM_PEOPLE: [&str; 9] = ["INT", "QUIT", "TERM", "HUP", "TSTP", "TTIN", "TTOU", "PIPE", WINDOW_CHANGE];

/// What every terminal gets sooner or later.
const WINDOW_CHANGE: &str = "WINCH";

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Watch {
    /// Whether it will do something without being asked: a timer, a descriptor that is listened to, a trap on a signal.
    pub defers: bool,
    /// Whether keys do something else to a line than in a new shell, or hooks look at it before it runs.
    pub rewrites: bool,
    /// Whether commands may mean something else after the window was resized.
    pub resizes: bool,
}

/// Takes in a line of what a shell has in store, given as its words and as a whole.
pub type WatchLine = fn(&mut Watch, &[&str], &str);

impl Watch {
    /// Reads what a shell's commands have printed.
    pub fn parse(of_shell: WatchLine, said: &str) -> Self {
        let mut watch = Self::default();
        let mut lines = said.lines().map(str::trim).filter(|line| !line.is_empty());
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
            } else if line == "sched" {
                let next = lines.clone().next();
                watch.defers |= next.is_some_and(|line| line.starts_with(|c: char| c.is_ascii_digit()));
            } else {
                of_shell(&mut watch, &line.split_whitespace().collect::<Vec<_>>(), line);
            }
        }
        watch
    }

    /// Takes in a trap, and whether it changes what commands mean.
    pub(super) fn take_in(&mut self, signal: &str, changes: bool) {
        self.rewrites |= BEFORE_LINES.contains(&signal);
        self.resizes |= signal == WINDOW_CHANGE && changes;
        let is_usual =
            FROM_PEOPLE.contains(&signal) && !changes || [&NO_SIGNALS[..], &BEFORE_LINES].concat().contains(&signal);
        self.defers |= !is_usual;
    }
}

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

#[cfg(test)]
mod tests {
    use super::super::unix_rules;
    use super::*;
    use crate::resolve::Shell;

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
            assert_eq!(Watch::parse(unix_rules(shell).unwrap().watch_line, said), expected, "{shell:?} {said}");
        }
        for (shell, said, resizes) in [
            (Shell::Bash, "trap -- 'PATH=/old' SIGWINCH\n", true),
            (Shell::Ksh, "trap -- $'echo\\nPATH=/old' WINCH\n", true),
            (Shell::Bash, "trap -- 'echo' SIGWINCH\n", false),
            (Shell::Fish, "Event signal\nSIGWINCH on_resize\n", true),
        ] {
            assert_eq!(Watch::parse(unix_rules(shell).unwrap().watch_line, said).resizes, resizes, "{shell:?} {said}");
        }
    }
}
