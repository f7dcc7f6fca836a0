//! The question put to a shell, and its answer found again among whatever its startup files print.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use memchr::memmem;

use super::answer::{Meaning, Question, ShellReply};
use super::quoting::{PRINT, quoted};
use super::start_mode::StartMode;
use super::variables::environment;
use super::watch::{self, Watch};
use crate::os;
use crate::process::TerminalContext;
use crate::resolve::{Kind, LookupContext, Shell};

/// At most this many names a loop goes through: bash puts the line of the loop together again for each of them.
const AT_A_TIME: usize = 100;

/// What prints every variable, each ended by a zero byte (env(1)), where this program cannot.
const ENV: &str = "/usr/bin/env -0";

/// What prints the variables and the rest of the context that a program is started in: this program, typed as any other.
fn context(shell: Shell, marker: &str, own: Option<&Path>) -> String {
    let Some(own) = own.and_then(Path::to_str) else { return ENV.to_owned() };
    let or = if shell == Shell::Fish { "; or" } else { " ||" };
    format!("{} {} {marker}-context{or} {ENV}", quoted(shell, own), os::CONTEXT_ARGUMENT)
}

/// The question as commands of the shell. The answer is fields that end in a NUL byte, between two markers: PATH, the current folder, then kind
/// and file of each command, then every variable that programs are handed, the context behind a field of its own, and what the
/// shell has in store behind another.
///
/// Backslashes keep aliases away from our own words, `builtin` and `command` functions. A shell that is to end at the first
/// command that fails (`set -e`) is told not to, since a question often has no for an answer.
pub(super) fn text(shell: Shell, mode: StartMode, marker: &str, question: Question<'_>, own: Option<&Path>) -> String {
    let (env, watch) = (context(shell, marker, own), watch::text(shell, mode));
    let commands: Vec<String> = question.commands.iter().map(|c| quoted(shell, c)).collect();
    match shell {
        Shell::Fish => {
            // What is typed for another word is put in its place at the prompt, whether it is that word or one of a pattern
            // (fish, "abbr"). `type` would go through PATH once more.
            let abbreviation = match mode {
                StartMode::LoginCommand => "",
                _ => "if abbr -q -- $c; or string match -qr -- $_wyard_abbr $c; echo abbreviation; else ",
            };
            let kind = format!(
                "{abbreviation}if builtin functions -q -- $c; echo function; \
                 else if builtin contains -- $c $_wyard_builtins; echo builtin; end"
            );
            let patterns = r"set -l _wyard_abbr '^(?:'(string join '|' -- '(?!)' (abbr --show 2>/dev/null | string replace -rf -- '^.*--regex (\'(?:[^\'\\\\]|\\\\.)*\'|\S+) .*$' '$1' | string unescape))')$'
";
            format!(
                "{patterns}set -l _wyard_builtins (builtin -n)\nbuiltin printf '\\n%s\\0' {marker}; builtin printf '%s\\0' (string join : -- $PATH | string collect) $PWD\n\
                 for c in {}\nbuiltin printf '%s\\0' (begin; {kind}; end | string collect; or echo)\n\
                 builtin printf '%s\\0' (command -s -- $c 2>/dev/null | string collect; or echo)\nend\n{env}\nbuiltin printf '%s\\0' {marker}-watch\n{watch}\nbuiltin printf '\\0%s\\0' {marker}",
                commands.join(" ")
            )
        }
        // Asked in their own way.
        Shell::Cmd | Shell::PowerShell | Shell::Pwsh => String::new(),
        Shell::Tcsh => {
            // Loops do not work in a command line, and a quoted word is never a builtin: `unalias` keeps aliases away,
            // from the next line on.
            let asked = question.commands.iter().map(|c| {
                let c = quoted(shell, c);
                let next = separator(marker);
                format!("which {c}; echo {next}; where {c}; echo {next}; ")
            });
            let asked: String = asked.collect();
            format!(
                "unset savehist echo verbose; unalias which; unalias where; unalias echo; unalias sched; unalias bindkey\n\
                 {PRINT} '\\n%s\\0%s\\0%s\\0' {marker} $PATH:q $cwd:q; {asked}{env}; {PRINT} '%s\\0' {marker}-watch\n{watch}\n{PRINT} '\\0%s\\0' {marker}"
            )
        }
        Shell::Bash | Shell::Zsh | Shell::Ksh | Shell::Sh => {
            let (print, each) = match shell {
                Shell::Bash => ("\\builtin printf", "\\builtin type -P -- \"$c\" 2>/dev/null; \\builtin printf '\\0'"),
                Shell::Zsh => (
                    "\\builtin printf",
                    "\\builtin whence -w -- \"$c\" 2>/dev/null; \\builtin printf '\\0'; \
                     \\builtin whence -p -- \"$c\" 2>/dev/null; \\builtin printf '\\0'",
                ),
                // It quotes what it finds as a word of its own language.
                Shell::Ksh => (
                    "\\command printf",
                    "\\command eval \"_wyard_file=$(\\command whence -p -- \"$c\" 2>/dev/null)\"; \
                     \\command printf '%s\\0' \"$(\\command whence -v -- \"$c\" 2>/dev/null)\" \"$_wyard_file\"",
                ),
                _ => ("\\command printf", "\\command -v -- \"$c\" 2>/dev/null || :; \\command printf '\\0'"),
            };
            let looped = |body: &str| -> String {
                commands
                    .chunks(AT_A_TIME)
                    .map(|some| format!("for c in {}; do {body}; done\n", some.join(" ")))
                    .collect()
            };
            let mut loops = looped(each);
            if shell == Shell::Bash && !commands.is_empty() {
                // After the files the kinds, for which PATH need not be gone through once more; where it cannot be set, it is.
                // In a shell of their own: who changes PATH forgets what was remembered (bash(1), `hash`).
                let kind = looped("\\builtin type -t -- \"$c\" 2>/dev/null; \\builtin printf '\\0'");
                loops.push_str(&format!("(\n(PATH=/dev/null) 2>/dev/null && PATH=/dev/null\n{kind})\n"));
            }
            if shell == Shell::Sh && !commands.is_empty() {
                // A subshell without PATH, where it can be set, is asked for the kinds, and one without aliases and functions of
                // these names for the files.
                let files = "\\unalias \"$c\" 2>/dev/null; \\unset -f \"$c\" 2>/dev/null";
                let files = looped(&format!("{files}; {each}"));
                loops = format!("(\n(PATH=/dev/null) 2>/dev/null && PATH=/dev/null\n{loops})\n(\n{files})\n");
            }
            let stay =
                if matches!(shell, Shell::Bash | Shell::Zsh) { "\\builtin set +euxv" } else { "\\command set +euxv" };
            format!(
                "{stay}\n{print} '\\n%s\\0' {marker}; {print} '%s\\0' \"$PATH\" \"$PWD\"\n{loops}{env}\n{print} '%s\\0' {marker}-watch\n{watch}\n{print} '\\0%s\\0' {marker}\n"
            )
        }
    }
}

/// The line that stands for a zero byte where a shell can print none by itself.
fn separator(marker: &str) -> String {
    format!("{marker}-next")
}

/// Finds the answer in the output; `None` where there is no whole one.
pub(super) fn parse(
    shell: Shell,
    marker: &str,
    output: &[u8],
    question: Question<'_>,
    home: &Path,
) -> Option<ShellReply> {
    let begin = format!("\n{marker}\0");
    // Of several the first whole one: a line that seems not to be answered is typed again, and answered twice.
    // One that was cut short ends where the next begins.
    let starts: Vec<usize> = memmem::find_iter(output, &begin).collect();
    let ends = starts.iter().skip(1).copied().chain([output.len()]);
    let mut answers = starts.iter().zip(ends).map(|(at, end)| &output[at + begin.len()..end]);
    answers.find_map(|answer| parse_answer(shell, marker, answer, question, home))
}

fn parse_answer(shell: Shell, marker: &str, output: &[u8], question: Question<'_>, home: &Path) -> Option<ShellReply> {
    let answer = match shell {
        Shell::Tcsh => with_zeros(output, separator(marker).as_bytes()),
        _ => output.to_vec(),
    };
    let mut fields = answer.split(|b| *b == 0);
    let path = os::name_from_bytes(fields.next()?.to_vec());
    let current_folder = PathBuf::from(os::name_from_bytes(fields.next()?.to_vec()));
    let current_folder = if current_folder.is_absolute() { current_folder } else { home.to_owned() };
    let context = LookupContext { path, current_folder: current_folder.clone(), ..LookupContext::new(shell.system()) };
    let mut meanings = BTreeMap::new();
    let mut said: Vec<&[u8]> = fields.by_ref().take(2 * question.commands.len()).collect();
    if said.len() < 2 * question.commands.len() {
        return None;
    }
    // These tell all of one, then all of the other.
    if matches!(shell, Shell::Bash | Shell::Sh) {
        let second = said.split_off(question.commands.len());
        let (kinds, files) = if shell == Shell::Bash { (second, said) } else { (said, second) };
        said = kinds.into_iter().zip(files).flat_map(|(kind, file)| [kind, file]).collect();
    }
    for (name, said) in question.commands.iter().zip(said.chunks_exact(2)) {
        let kind = String::from_utf8_lossy(said[0]).trim().to_owned();
        let file = said[1].to_vec();
        let file = match shell {
            // tcsh lists all that answer, a line each.
            Shell::Tcsh => {
                let first = file.split(|b| *b == b'\n').find(|line| line.starts_with(b"/"));
                first.map(without_escapes).unwrap_or_default()
            }
            _ => file.strip_suffix(b"\n").unwrap_or(&file).to_vec(),
        };
        // Where an entry of PATH is none of the root's, so is what is found there.
        let file = file.contains(&b'/').then(|| current_folder.join(os::name_from_bytes(file)));
        let kind = match shell {
            Shell::Ksh | Shell::Tcsh => kind_in_words(name, &kind),
            _ => kind_of(name, &kind, file.is_some()),
        };
        meanings.insert(name.clone(), Meaning { kind, file });
    }
    let rest: Vec<&[u8]> = fields.collect();
    let end = rest.iter().position(|field| *field == marker.as_bytes())?;
    let mut rest = &rest[..end];
    let mut behind = |name: &str| {
        let at = rest.iter().rposition(|field| *field == format!("{marker}-{name}").as_bytes())?;
        let text = String::from_utf8_lossy(rest.get(at + 1).copied().unwrap_or_default()).into_owned();
        rest = &rest[..at];
        Some(text)
    };
    let watch = behind("watch").map(|text| Watch::parse(shell, &text)).unwrap_or_default();
    let terminal = behind("context").and_then(|text| TerminalContext::parse(&text));
    let environment = environment(rest.iter().copied());
    // One that a shell keeps to itself is not set for what it starts.
    let value = |name: &String| Some((name.clone(), environment.get(name)?.to_owned()));
    let variables = question.variables.iter().filter_map(value).collect();
    Some(ShellReply {
        context,
        meanings,
        variables,
        environment,
        terminal,
        watch,
        before_prompt: None,
        script_policy: None,
    })
}

/// The kind, from each shell's own word: bash `type -t`, zsh `whence -w` ("NAME: KIND"), fish `type -t`, and for the
/// plain shell `command -v` (a path, "alias …", or the bare name for what is built in).
fn kind_of(name: &str, said: &str, has_file: bool) -> Kind {
    let word = said.rsplit_once(": ").map_or(said, |(_, kind)| kind);
    match word {
        "file" | "command" | "hashed" => Kind::File,
        "alias" | "global alias" | "suffix alias" | "abbreviation" => Kind::Alias,
        "function" => Kind::Function,
        "builtin" | "keyword" | "reserved" => Kind::Builtin,
        // Some are asked for the kind without PATH.
        "" if has_file => Kind::File,
        "none" | "" => Kind::None,
        _ if said.starts_with("alias ") => Kind::Alias,
        _ if said.contains('/') => Kind::File,
        // A bare name: a function hides a file that a shell without it would find; a builtin cannot be taken away.
        _ if said == name && has_file => Kind::Function,
        _ => Kind::Builtin,
    }
}

/// The text with a zero byte in place of each line that is the separator.
fn with_zeros(text: &[u8], separator: &[u8]) -> Vec<u8> {
    let line = [separator, b"\n"].concat();
    let mut bytes = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = memmem::find(rest, &line) {
        bytes.extend_from_slice(&rest[..at]);
        bytes.push(0);
        rest = &rest[at + line.len()..];
    }
    bytes.extend_from_slice(rest);
    bytes
}

/// What tcsh prints where no language is set, with each byte beyond ASCII as a backslash and three octal digits.
fn without_escapes(text: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some((first, after)) = rest.split_first() {
        let octal = after.get(..3).filter(|_| *first == b'\\').and_then(|digits| std::str::from_utf8(digits).ok());
        let byte = octal.and_then(|digits| u8::from_str_radix(digits, 8).ok()).filter(|byte| !byte.is_ascii());
        bytes.push(byte.unwrap_or(*first));
        rest = if byte.is_some() { &after[3..] } else { after };
    }
    bytes
}

/// The kind, from a sentence: ksh `whence -v` ("NAME is a shell builtin"), tcsh `which` ("NAME: shell built-in
/// command.").
fn kind_in_words(name: &str, said: &str) -> Kind {
    let about = said.strip_prefix(name).map_or(said, |rest| rest.trim_start_matches(':').trim_start());
    let about = about.strip_prefix("is ").unwrap_or(about);
    let begins = |words: &[&str]| words.iter().any(|word| about.starts_with(word));
    if begins(&["an alias", "aliased to"]) {
        Kind::Alias
    } else if begins(&["a function", "an exported function", "an undefined function"]) {
        Kind::Function
    } else if begins(&["a shell builtin", "a special builtin", "a keyword", "shell built-in"]) {
        Kind::Builtin
    } else if about.contains('/') {
        Kind::File
    } else {
        Kind::None
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_answer_is_found_among_noise() {
        let commands = ["a".to_owned(), "b".to_owned()];
        let variables = ["V".to_owned(), "W".to_owned()];
        let question = Question { commands: &commands, variables: &variables };
        let output = b"hello\nM\0/old\0\0\0\nwelcome\nM\0/x:/y\0/h\0/x/a\n\0\0\0alias\n\0V=1 2\0A=b\0\
            M-context\0umask 18\n\0M-watch\0trap -- x SIGUSR1\n\0M\0bye\nM\0/later\0/h\0/x/a\n\0\0\0alias\n\0M\0";
        let said = parse(Shell::Bash, "M", output, question, Path::new("/h")).unwrap();
        assert_eq!(said.context.path, "/x:/y");
        assert_eq!(*said.meaning("a"), Meaning { kind: Kind::File, file: Some("/x/a".into()) });
        assert_eq!(*said.meaning("b"), Meaning { kind: Kind::Alias, file: None });
        assert_eq!((said.variable("V"), said.variable("W")), (Some("1 2".as_ref()), None));
        assert_eq!((said.environment.get("A"), said.environment.iter().count()), (Some("b".as_ref()), 2));
        assert!(said.terminal.is_some_and(|terminal| terminal.umask == 18) && said.watch.defers);
        assert_eq!(parse(Shell::Bash, "M", b"\nM\0/x\0/h\0/x/a\0", question, Path::new("/h")), None, "cut off");
        assert_eq!(parse(Shell::Bash, "M", b"nothing", question, Path::new("/h")), None);
        for (said, kind) in [
            ("t is a tracked alias for /bin/t", Kind::File),
            ("t is an alias for 't -l'", Kind::Alias),
            ("t is a shell builtin", Kind::Builtin),
            ("t is a function", Kind::Function),
            ("t: \t aliased to t -F: x", Kind::Alias),
            ("t: shell built-in command.", Kind::Builtin),
            ("/usr/bin/t", Kind::File),
            ("t: Command not found.", Kind::None),
            ("", Kind::None),
        ] {
            assert_eq!(kind_in_words("t", said), kind, "{said}");
        }
        assert_eq!(without_escapes(b"/\\303\\274/a\\b\\101"), "/ü/a\\b\\101".as_bytes());
    }
}
