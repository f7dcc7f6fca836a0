//! Lines of startup files that depend on what one question cannot show: the machine's processes and who listens at its sockets,
//! which a seal hides; the clock and chance; and how this one terminal was opened.

use super::startup_texts::StartupText;
use crate::change::BLOCK_ENDS;
use crate::process::SealLevel;

/// What a condition may depend on that is not known, in words, and the words of a line that tell of it.
type Unknown = (&'static str, &'static [&'static str]);

/// Only a seal with processes of its own hides these.
const PROCESSES: Unknown =
    ("processes, which a seal hides", &["kill -0 ", "pgrep ", "pidof ", "/proc/", "ps -", "ps a", "systemctl "]);

const HIDDEN: [Unknown; 5] = [
    (
        "sockets, which nobody listens at in a seal",
        &["-S ", "/dev/tcp/", "nc -", "socat ", "ssh-add", "tmux ", "dbus-send ", "gpg-connect-agent"],
    ),
    ("groups, which a seal hides", &["groups ", "(groups", "groups)", "id -G", "id -nG", "id -Gn", "(id)"]),
    (
        "file owners, not all of which a seal knows",
        // One's own are known.
        &[
            "stat -c %U /",
            "stat -c %u /",
            "stat -c '%U' /",
            "stat -c \"%U\" /",
            "stat -c%U /",
            "ls -l",
            "-user ",
            "-nouser",
        ],
    ),
    ("rights, which a seal takes away", &["sudo ", "doas ", "pkexec ", "capsh "]),
    ("mounts, which a seal changes", &["mountpoint ", "findmnt", "df ", "stat -f", "(mount)", "mount |"]),
];

const CHANGING: [Unknown; 3] = [
    (
        "the time or chance",
        &[
            "RANDOM",
            "SECONDS",
            "EPOCH",
            "(date",
            "`date",
            "strftime",
            "(random",
            "shuf ",
            "shuf)",
            "random)",
            "$$ -",
            "$$ %",
            "$$%",
            "/dev/random",
            "/dev/urandom",
        ],
    ),
    ("the network", &["curl ", "wget ", "ping ", "getent hosts", "nslookup ", "nmcli "]),
    (
        "how the terminal was opened, or its size",
        &[
            "(tty)",
            "`tty`",
            "SSH_CONNECTION",
            "SSH_CLIENT",
            "SSH_TTY",
            "TMUX",
            "$STY",
            "TERM_PROGRAM",
            "VTE_VERSION",
            "XDG_VTNR",
            "PPID",
            "COLUMNS",
            "$LINES",
            "tput cols",
            "tput lines",
            "stty size",
        ],
    ),
];

/// Words by which a line changes where commands are found.
const FOLDERS: [&str; 5] = ["PATH", "path=", "path+=", "path = ", "fish_add_path"];

/// Words by which a line changes what commands mean.
const MEANINGS: [&str; 3] = ["alias ", "hash ", "source "];

/// The first line that changes what these commands mean under a condition that is not known to hold in every terminal, in words.
/// Lines before our block only matter where they name a command: its folders come after theirs. Those of `.zshenv`, which zsh
/// reads first (zsh(1), "Startup/Shutdown Files"), are before every block.
pub(super) fn condition(texts: &[StartupText], level: SealLevel, names: &[String]) -> Option<String> {
    let end = |text: &str| text.lines().position(|line| line.starts_with(BLOCK_ENDS));
    let is_of_zsh =
        |text: &StartupText| text.file.file_name().is_some_and(|name| name.to_string_lossy().starts_with(".z"));
    let zsh_has_block = texts.iter().any(|text| is_of_zsh(text) && end(&text.text).is_some());
    texts.iter().find_map(|StartupText { file, text }| {
        let lines: Vec<&str> = text.lines().collect();
        let behind = match end(text) {
            Some(at) => at + 1,
            None if file.ends_with(".zshenv") && zsh_has_block => lines.len(),
            None => 0,
        };
        (0..lines.len()).find_map(|at| {
            let line = lines[at].trim_start();
            let why = (!line.starts_with('#') && is_condition(line)).then(|| unknown(line, level))??;
            let names_one = |line: &str| names.iter().any(|name| line.contains(name.as_str()));
            let changes = |line: &str| match at < behind {
                true => has(line, &MEANINGS) && names_one(line),
                false => has(line, &FOLDERS) || has(line, &MEANINGS) || names_one(line),
            };
            reached(&lines[at..])
                .any(changes)
                .then(|| format!("line {} of {} depends on {why}", at + 1, file.display()))
        })
    })
}

/// What a line depends on that is not known.
fn unknown(line: &str, level: SealLevel) -> Option<&'static str> {
    // Its own process is there.
    let is_own = line.contains("$$") || line.contains("fish_pid");
    let processes = (level == SealLevel::Full && !is_own).then_some(&PROCESSES);
    let hidden = if level == SealLevel::None { &[] } else { &HIDDEN[..] };
    processes.into_iter().chain(hidden).chain(&CHANGING).find(|(_, words)| has(line, words)).map(|(why, _)| *why)
}

fn has(line: &str, words: &[&str]) -> bool {
    words.iter().any(|word| line.contains(word))
}

fn is_condition(line: &str) -> bool {
    has(line, &["&&", "||", "if ", "; and", "; or", "case ", "switch ", "while "])
}

/// The lines that depend on the first: itself, or the beginning of its block.
fn reached<'a>(lines: &'a [&'a str]) -> impl Iterator<Item = &'a str> {
    const MOST: usize = 12;
    let is_block = ["if ", "case ", "switch ", "while "].iter().any(|word| lines[0].trim_start().starts_with(word));
    let ends = |line: &&str| ["fi", "esac", "done", "end", "endif", "endsw"].contains(&line.trim());
    lines.iter().copied().take(if is_block { MOST } else { 1 }).take_while(move |line| !ends(line))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn conditions_that_one_question_cannot_show_are_found() {
        for (text, level, expected) in [
            ("kill -0 4711 && PATH=/old:$PATH\n", SealLevel::Full, Some(1)),
            ("kill -0 4711 && PATH=/old:$PATH\n", SealLevel::SharedProcesses, None),
            ("if pgrep -u me tided; then\n  PATH=/old:$PATH\nfi\n", SealLevel::Full, Some(1)),
            ("kill -0 $$ && PATH=/old:$PATH\n", SealLevel::Full, None),
            ("[ -S /run/tide ] && alias tidelog=x\n", SealLevel::SharedProcesses, Some(1)),
            ("[ -S /run/tide ] && echo tide\n", SealLevel::Full, None),
            ("[ $(stat -c %U /etc) = root ] && PATH=/old", SealLevel::SharedProcesses, Some(1)),
            ("# [ -S /run/tide ] && PATH=/old\n", SealLevel::Full, None),
            ("[ -S /run/tide ] && PATH=/old\n# Wagon Yard: begin\n# Wagon Yard: end\nls\n", SealLevel::Full, None),
            ("# Wagon Yard: begin\n# Wagon Yard: end\n[ -S /run/tide ] && PATH=/old\n", SealLevel::Full, Some(3)),
            ("[ -S /run/tide ] && alias tidelog=x\n# Wagon Yard: end\n", SealLevel::Full, Some(1)),
            ("[ -S /run/tide ] && alias shoal=x\n# Wagon Yard: end\n", SealLevel::Full, None),
            ("if [ -S /run/tide ]; then\n  ls\nfi\nPATH=/old:$PATH\n", SealLevel::Full, None),
        ] {
            let texts = [StartupText { file: "/h/rc".into(), text: text.to_owned() }];
            let told = condition(&texts, level, &["tidelog".to_owned()]);
            let line = expected.map(|line| format!("line {line} of /h/rc depends on "));
            assert_eq!(told.is_some(), line.is_some(), "{text}");
            assert!(told.unwrap_or_default().starts_with(&line.unwrap_or_default()), "{text}");
        }
        for (text, expected) in [
            ("[ $((RANDOM % 2)) = 0 ] && PATH=/old:$PATH", Some("the time or chance")),
            ("test (random 0 1) = 1; and fish_add_path /old", Some("the time or chance")),
            ("[ $(date +%H) -gt 12 ] && tidelog() { /old/tidelog; }", Some("the time or chance")),
            ("case $(tty) in\n  /dev/tty1) PATH=/old:$PATH ;;\nesac", Some("how the terminal was opened, or its size")),
            ("[ -n \"$SSH_TTY\" ] && PATH=/old:$PATH", Some("how the terminal was opened, or its size")),
            ("[ $$ -gt 1000 ] && PATH=/old:$PATH", Some("the time or chance")),
            ("curl -s tide.example && PATH=/old:$PATH", Some("the network")),
            ("groups | grep -q tide && PATH=/old:$PATH", None),
            ("[ -n \"$SSH_TTY\" ] && PS1='> '", None),
            ("PATH=/old/$RANDOM:$PATH", None),
        ] {
            let texts = [StartupText { file: "/h/rc".into(), text: text.to_owned() }];
            let line = expected.map(|why| format!("line 1 of /h/rc depends on {why}"));
            assert_eq!(condition(&texts, SealLevel::None, &["tidelog".to_owned()]), line, "{text}");
        }
    }
}
