//! What starts where a command is typed: the file that each new terminal runs, in the context that it hands on.

use std::path::{Path, PathBuf};

use super::evidence::AtTerminal;
use super::place::Place;
use super::starting::is_powershell_script;
use crate::environment::Environment;
use crate::process::{Descriptor, TerminalContext};
use crate::terminal::ShellReply;

pub(super) struct LaunchContext<'a> {
    pub program: PathBuf,
    pub said: &'a ShellReply,
    /// Those terminals, by their places among those of the command.
    pub terminals: Vec<usize>,
}

impl LaunchContext<'_> {
    pub fn place(&self) -> Place<'_> {
        let host = self.said.script_host.as_ref().map(|host| &*host.program);
        Place { environment: &self.said.environment, context: self.said.terminal.as_ref(), script_host: host }
    }
}

/// Variables that no program's start depends on: the texts of prompts, the size of the terminal, how deep shells are nested,
/// numbers of processes, and names of sockets and terminals. All of them are other ones in each terminal.
const NO_MATTER: [&str; 15] = [
    "PS1",
    "PS2",
    "PS4",
    "PROMPT",
    "RPROMPT",
    "COLUMNS",
    "LINES",
    "SHLVL",
    "PPID",
    "SSH_AGENT_PID",
    "SSH_AUTH_SOCK",
    "GPG_TTY",
    "TTY",
    "WINDOWID",
    "OLDPWD",
];

/// Each different way in which the terminals start a command: equal files in equal contexts once. Where one of them runs
/// another file than the one looked at, only that one's terminals count.
pub(super) fn distinct_launches<'a>(terminals: &[AtTerminal<'a>], winner: Option<&Path>) -> Vec<LaunchContext<'a>> {
    let mut ways: Vec<LaunchContext<'_>> = Vec::new();
    let is_lost = terminals.iter().any(|seen| seen.runs.is_some() && !seen.ours);
    for (at, seen) in terminals.iter().enumerate() {
        let (Ok(said), Some(typed)) = (seen.said, &seen.runs) else { continue };
        if is_lost && winner.is_some_and(|winner| winner != typed) {
            continue;
        }
        // Each PowerShell runs a script itself.
        let host = |said: &ShellReply| said.script_host.as_ref().map(|host| host.program.clone());
        let is_same = |way: &&mut LaunchContext<'_>| {
            way.program == *typed
                && is_alike(way.said, said)
                && (!is_powershell_script(typed) || host(way.said) == host(said))
        };
        match ways.iter_mut().find(is_same) {
            Some(way) => way.terminals.push(at),
            None => ways.push(LaunchContext { program: typed.clone(), said, terminals: vec![at] }),
        }
    }
    if ways.is_empty()
        && let Some(file) = winner
    {
        // No terminal resolves it: probe in the first environment.
        let any = terminals.iter().enumerate().find_map(|(at, seen)| Some((at, seen.said.ok()?)));
        ways.extend(any.map(|(at, said)| LaunchContext { program: file.to_owned(), said, terminals: vec![at] }));
    }
    ways
}

fn is_alike(one: &ShellReply, other: &ShellReply) -> bool {
    let context = |said: &ShellReply| said.terminal.clone().map(without_numbers);
    matters(&one.environment).eq(matters(&other.environment)) && context(one) == context(other)
}

/// Which terminal or pipe a descriptor leads to is another one in each terminal; beyond the three streams, what it leads to
/// matters less than that it is open.
fn without_numbers(mut context: TerminalContext) -> TerminalContext {
    for (_, leads_to) in context.descriptors.iter_mut().filter(|(number, _)| *number > 2) {
        *leads_to = Descriptor::Other;
    }
    context
}

fn matters(environment: &Environment) -> impl Iterator<Item = (&std::ffi::OsString, &std::ffi::OsString)> {
    environment.iter().filter(move |(name, _)| !NO_MATTER.iter().any(|no| *name == no))
}
