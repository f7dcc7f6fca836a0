//! What starts where a command is typed: the file that each new terminal runs, in what it hands on.

use std::path::{Path, PathBuf};

use super::report::CallerResult;
use crate::environment::Environment;
use crate::terminal::Answer;

/// A file as some terminals start it.
pub(super) struct Way<'a> {
    pub program: PathBuf,
    pub environment: Environment,
    pub answers: Vec<&'a Answer>,
}

/// Variables that no program's start depends on: what shells keep for themselves and their prompts, who they are in
/// (tcsh(1), "ENVIRONMENT"), and what is another one in each session.
const NO_MATTER: [&str; 33] = [
    "A__z",
    "LOGNAME",
    "NLSPATH",
    "COLUMNS",
    "COLORTERM",
    "GPG_TTY",
    "GROUP",
    "HISTCONTROL",
    "HISTFILE",
    "HISTFILESIZE",
    "HISTSIZE",
    "HOST",
    "HOSTNAME",
    "HOSTTYPE",
    "LESSCLOSE",
    "LESSOPEN",
    "LINES",
    "LS_COLORS",
    "MACHTYPE",
    "OSTYPE",
    "PPID",
    "PROMPT",
    "PROMPT_COMMAND",
    "PS1",
    "PS2",
    "RPROMPT",
    "SAVEHIST",
    "SHELL",
    "SSH_AGENT_PID",
    "SSH_AUTH_SOCK",
    "TERM",
    "VENDOR",
    "WINDOWID",
];

/// Each different way in which the terminals start a command: equal files in equal environments once. Where one of them
/// runs another file than the one looked at, only that one's terminals count.
pub(super) fn ways<'a>(answers: &'a [Answer], results: &[CallerResult], name: &str, file: &Path) -> Vec<Way<'a>> {
    let mut ways: Vec<Way<'_>> = Vec::new();
    let is_lost = results.iter().any(|result| result.winner.as_ref().is_some_and(|_| !result.ours));
    for (answer, result) in answers.iter().zip(results) {
        let Ok(said) = &answer.said else { continue };
        let typed = said.meaning(name).file.clone().unwrap_or_else(|| file.to_owned());
        if result.winner.is_none() || is_lost && typed != file {
            continue;
        }
        let environment = said.environment.clone();
        let same = |way: &&mut Way<'_>| way.program == typed && matters(&way.environment).eq(matters(&environment));
        match ways.iter_mut().find(same) {
            Some(way) => way.answers.push(answer),
            None => ways.push(Way { program: typed, environment, answers: vec![answer] }),
        }
    }
    if ways.is_empty() {
        // Nobody finds it: it is started as one of them would.
        let any = answers.iter().find_map(|answer| Some((answer, answer.said.as_ref().ok()?)));
        ways.extend(any.map(|(answer, said)| Way {
            program: file.to_owned(),
            environment: said.environment.clone(),
            answers: vec![answer],
        }));
    }
    ways
}

fn matters(environment: &Environment) -> impl Iterator<Item = (&std::ffi::OsString, &std::ffi::OsString)> {
    let is_shells = |name: &str| name.starts_with("__") || name.starts_with("XDG_SESSION");
    environment
        .iter()
        .filter(move |(name, _)| !NO_MATTER.iter().any(|no| *name == no) && !name.to_str().is_some_and(is_shells))
}
