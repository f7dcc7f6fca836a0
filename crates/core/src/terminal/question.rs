//! The question put to a shell, and its answer found again among whatever its startup files print.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use memchr::memmem;

use super::answer::{Meaning, Question, ShellReply};
use super::variables::environment;
use crate::os;
use crate::process::TerminalContext;
use crate::resolve::LookupContext;
use crate::shells::{Asked, Dialect, FieldOrder, StartMode, UnixRules, Watch};
use crate::system::System;

/// What prints every variable, each ended by a zero byte (env(1)), where this program cannot.
const ENV: &str = "/usr/bin/env -0";

/// The question as commands of the shell. The answer is fields that end in a NUL byte, between two markers: PATH, the current folder, then kind
/// and file of each command, then every variable that programs are handed, the context behind a field of its own, and what the
/// shell has in store behind another.
pub(super) fn text(
    rules: &UnixRules,
    mode: StartMode,
    marker: &str,
    question: Question<'_>,
    own: Option<&Path>,
) -> String {
    let or = if rules.dialect == Dialect::Fish { "; or" } else { " ||" };
    // The variables and the rest of the context that a program is started in: this program, typed as any other, says it.
    let env = own.and_then(Path::to_str).map_or(ENV.to_owned(), |own| {
        format!("{} {} {marker}-context{or} {ENV}", (rules.word)(own), os::CONTEXT_ARGUMENT)
    });
    let commands: Vec<String> = question.commands.iter().map(|command| (rules.word)(command)).collect();
    let watch = rules.watch[usize::from(mode == StartMode::LoginCommand)];
    (rules.question)(&Asked { marker, mode, watch, commands: &commands, env: &env })
}

/// Finds the answer in the output; `None` where there is no whole one.
pub(super) fn parse(
    rules: &UnixRules,
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
    answers.find_map(|answer| parse_answer(rules, marker, answer, question, home))
}

fn parse_answer(
    rules: &UnixRules,
    marker: &str,
    output: &[u8],
    question: Question<'_>,
    home: &Path,
) -> Option<ShellReply> {
    let answer = match rules.prints_separators {
        true => with_zeros(output, format!("{marker}-next").as_bytes()),
        false => output.to_vec(),
    };
    let mut fields = answer.split(|b| *b == 0);
    let path = os::name_from_bytes(fields.next()?.to_vec());
    let current_folder = PathBuf::from(os::name_from_bytes(fields.next()?.to_vec()));
    let current_folder = if current_folder.is_absolute() { current_folder } else { home.to_owned() };
    let context = LookupContext { path, current_folder: current_folder.clone(), ..LookupContext::new(System::Unix) };
    let mut meanings = BTreeMap::new();
    let said: Vec<&[u8]> = fields.by_ref().take(2 * question.commands.len()).collect();
    if said.len() < 2 * question.commands.len() {
        return None;
    }
    let half = question.commands.len();
    let of_name = |number: usize| match rules.order {
        FieldOrder::Pairs => (said[2 * number], said[2 * number + 1]),
        FieldOrder::KindsFirst => (said[number], said[half + number]),
        FieldOrder::FilesFirst => (said[half + number], said[number]),
    };
    for (number, name) in question.commands.iter().enumerate() {
        let (kind, file) = of_name(number);
        let file = (rules.file)(file);
        // Where an entry of PATH is none of the root's, so is what is found there.
        let file = file.contains(&b'/').then(|| current_folder.join(os::name_from_bytes(file)));
        let kind = (rules.kind)(name, String::from_utf8_lossy(kind).trim(), file.is_some());
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
    let watch = behind("watch").map(|text| Watch::parse(rules.watch_line, &text)).unwrap_or_default();
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
        script_host: None,
    })
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::resolve::{Kind, Shell};
    use crate::shells::unix_rules;

    #[test]
    fn the_answer_is_found_among_noise() {
        let commands = ["a".to_owned(), "b".to_owned()];
        let variables = ["V".to_owned(), "W".to_owned()];
        let bash = unix_rules(Shell::Bash).unwrap();
        let question = Question { commands: &commands, variables: &variables };
        let output = b"hello\nM\0/old\0\0\0\nwelcome\nM\0/x:/y\0/h\0/x/a\n\0\0\0alias\n\0V=1 2\0A=b\0\
            M-context\0umask 18\n\0M-watch\0trap -- x SIGUSR1\n\0M\0bye\nM\0/later\0/h\0/x/a\n\0\0\0alias\n\0M\0";
        let said = parse(bash, "M", output, question, Path::new("/h")).unwrap();
        assert_eq!(said.context.path, "/x:/y");
        assert_eq!(*said.meaning("a"), Meaning { kind: Kind::File, file: Some("/x/a".into()) });
        assert_eq!(*said.meaning("b"), Meaning { kind: Kind::Alias, file: None });
        assert_eq!((said.variable("V"), said.variable("W")), (Some("1 2".as_ref()), None));
        assert_eq!((said.environment.get("A"), said.environment.iter().count()), (Some("b".as_ref()), 2));
        assert!(said.terminal.is_some_and(|terminal| terminal.umask == 18) && said.watch.defers);
        assert_eq!(parse(bash, "M", b"\nM\0/x\0/h\0/x/a\0", question, Path::new("/h")), None, "cut off");
        assert_eq!(parse(bash, "M", b"nothing", question, Path::new("/h")), None);
    }
}
