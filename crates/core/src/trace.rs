//! The trace: what a command name means to each caller, in this terminal and in a new one, and what else it could mean.

use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::finding::{Code, Finding};
use crate::machine::Machine;
use crate::os;
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, Kind, Reason, Standing, Surroundings};
use crate::terminal::{self, Asking, Question, Said, Way};
use crate::yard::Settings;

/// Which terminal.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum TerminalKind {
    /// The one this program was started in.
    This,
    /// One opened now.
    New,
}

/// The report of `trace`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct TraceReport {
    /// The format number.
    pub format: u32,
    /// `trace`.
    pub report: &'static str,
    /// Command by command.
    pub commands: Vec<CommandTrace>,
}

/// What one name means.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CommandTrace {
    /// The name.
    pub name: String,
    /// Caller by caller; where a shell answers differently by the way it is started, once for each answer.
    pub callers: Vec<CallerTrace>,
}

/// What a name means to one caller.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CallerTrace {
    /// The caller.
    pub caller: Caller,
    /// In which terminal.
    pub terminal: TerminalKind,
    /// The ways of starting that this is true for; empty for this terminal and for callers that are no shell.
    pub ways: Vec<Way>,
    /// Whether the shell itself was asked.
    pub proved: bool,
    /// The file that runs; null where none does, or the shell itself answers.
    pub winner: Option<PathBuf>,
    /// What answers.
    pub kind: Kind,
    /// The files of that name, in order.
    pub candidates: Vec<CandidateTrace>,
    /// What is worth telling.
    pub findings: Vec<Finding>,
}

/// A file of the name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CandidateTrace {
    /// The file, lossy.
    pub path: String,
    /// Its exact bytes in hex, where it is not Unicode.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub path_bytes: Option<String>,
    /// The entry of PATH it comes from, as written.
    pub entry: Option<String>,
    /// The place of that entry, from 0.
    pub entry_index: Option<usize>,
    /// How it stands.
    pub standing: Standing,
    /// Why it is skipped.
    pub reason: Option<Reason>,
}

/// What to trace.
#[derive(Debug, Clone, Default)]
pub struct TraceRequest {
    /// The names.
    pub names: Vec<String>,
    /// Only this caller.
    pub caller: Option<Caller>,
    /// Only this terminal.
    pub terminal: Option<TerminalKind>,
}

/// Traces the names. Shells that give no answer in a new terminal are told in a finding.
#[must_use]
pub fn trace(machine: &Machine, settings: &Settings, request: &TraceRequest, stop: &Stop) -> TraceReport {
    let wanted = |caller: Caller| request.caller.is_none_or(|only| only == caller);
    let mut shells = terminal::installed(&settings.shells);
    let callers: Vec<Caller> = Caller::ALL
        .into_iter()
        .filter(|c| {
            wanted(*c) && c.system() == os::HERE && c.shell().is_none_or(|s| shells.iter().any(|i| i.shell == s))
        })
        .collect();
    let this = request.terminal != Some(TerminalKind::New);
    let new = request.terminal != Some(TerminalKind::This);
    // What a program started in a new terminal finds is predicted from the PATH of a login shell.
    if !wanted(Caller::program(os::HERE)) {
        shells.retain(|s| wanted(Caller::from(s.shell)));
    }
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let answers =
        if new { asking.everywhere(Question { commands: &request.names, variables: &[] }) } else { Vec::new() };
    let here = Surroundings::of(&machine.environment, &std::env::current_dir().unwrap_or_default());
    let program = Caller::program(os::HERE);
    let mut commands = Vec::new();
    for (index, name) in request.names.iter().enumerate() {
        let mut traced: Vec<CallerTrace> = Vec::new();
        if new {
            for answer in answers.iter().filter(|a| wanted(Caller::from(a.shell))) {
                let mut one = match &answer.said {
                    Ok(said) => proved(Caller::from(answer.shell), name, index, said),
                    Err(_) => unproved(Caller::from(answer.shell), answer.way),
                };
                let like = |t: &&mut CallerTrace| {
                    t.caller == one.caller
                        && (t.kind, &t.candidates, &t.findings) == (one.kind, &one.candidates, &one.findings)
                };
                match traced.iter_mut().find(like) {
                    Some(earlier) if earlier.ways.contains(&answer.way) => {}
                    Some(earlier) => earlier.ways.push(answer.way),
                    None => {
                        one.ways = vec![answer.way];
                        traced.push(one);
                    }
                }
            }
            let login = answers.iter().filter(|a| a.way == Way::LoginCommand).chain(&answers);
            let said = login.filter(|_| wanted(program)).find_map(|a| a.said.as_ref().ok());
            traced.extend(said.map(|said| predicted(program, name, &said.around, TerminalKind::New)));
        }
        if this {
            traced.extend(callers.iter().map(|c| predicted(*c, name, &here, TerminalKind::This)));
        }
        tell_stale(&mut traced, name);
        traced.sort_by_key(|t| (std::cmp::Reverse(t.terminal), t.caller));
        commands.push(CommandTrace { name: name.clone(), callers: traced });
    }
    TraceReport { format: 1, report: "trace", commands }
}

fn predicted(caller: Caller, name: &str, around: &Surroundings, terminal: TerminalKind) -> CallerTrace {
    let candidates = resolve::candidates(caller, name, around, &Disk);
    let winner = resolve::winner(&candidates).map(Path::to_owned);
    let alias = candidates.iter().find(|c| c.standing == Standing::Winner && c.app_alias);
    let findings = alias.map(|alias| app_alias(name, &alias.path)).into_iter().collect();
    let found = if winner.is_some() { Kind::File } else { Kind::None };
    let kind = resolve::own_answer(caller, name).unwrap_or(found);
    let winner = winner.filter(|_| kind == Kind::File);
    let candidates = candidates.iter().map(CandidateTrace::from).collect();
    CallerTrace { caller, terminal, ways: Vec::new(), proved: false, winner, kind, candidates, findings }
}

fn proved(caller: Caller, name: &str, index: usize, said: &Said) -> CallerTrace {
    let meaning = &said.meanings[index];
    let mut traced = predicted(caller, name, &said.around, TerminalKind::New);
    traced.proved = true;
    traced.kind = meaning.kind;
    // The shell has the last word on which file it runs.
    traced.winner = meaning.file.clone().filter(|_| meaning.kind == Kind::File);
    traced
}

/// Tells what an app-execution alias is.
fn app_alias(name: &str, alias: &Path) -> Finding {
    let seen =
        format!("{name} is an app-execution alias, which starts an installed app or the store: {}", alias.display());
    Finding::new(Code::AppAlias, seen).remedy("switch it off in the system's settings, under app execution aliases")
}

fn unproved(caller: Caller, way: Way) -> CallerTrace {
    let seen = format!("a new {} terminal of {} gave no answer", way.name(), caller.name());
    CallerTrace {
        caller,
        terminal: TerminalKind::New,
        ways: vec![way],
        proved: false,
        winner: None,
        kind: Kind::None,
        candidates: Vec::new(),
        findings: vec![Finding::new(Code::NoTerminalAnswer, seen)],
    }
}

/// Marks this terminal's answers that a new one would not give.
fn tell_stale(traced: &mut [CallerTrace], name: &str) {
    let fresh: Vec<(Caller, Kind, Option<PathBuf>)> = traced
        .iter()
        .filter(|t| t.terminal == TerminalKind::New && t.findings.iter().all(|f| f.code != Code::NoTerminalAnswer))
        .map(|t| (t.caller, t.kind, t.winner.clone()))
        .collect();
    for here in traced.iter_mut().filter(|t| t.terminal == TerminalKind::This) {
        let mut of_caller = fresh.iter().filter(|(caller, ..)| *caller == here.caller).peekable();
        if of_caller.peek().is_some() && of_caller.all(|(_, kind, winner)| (*kind, winner) != (here.kind, &here.winner))
        {
            let finding =
                Finding::new(Code::StaleTerminal, format!("this terminal and a new one disagree about {name}"))
                    .remedy("close this terminal and open a new one");
            here.findings.push(finding);
        }
    }
}

impl From<&resolve::Candidate> for CandidateTrace {
    fn from(candidate: &resolve::Candidate) -> Self {
        let exact = candidate.path.as_os_str().as_encoded_bytes();
        let hex = || exact.iter().map(|b| format!("{b:02x}")).collect();
        Self {
            path: candidate.path.to_string_lossy().into_owned(),
            path_bytes: candidate.path.to_str().is_none().then(hex),
            entry: candidate.entry.as_ref().map(|(raw, _)| raw.to_string_lossy().into_owned()),
            entry_index: candidate.entry.as_ref().map(|(_, index)| *index),
            standing: candidate.standing,
            reason: candidate.reason,
        }
    }
}

impl CommandTrace {
    /// Whether any caller finds something of the name.
    #[must_use]
    pub fn is_answered(&self) -> bool {
        self.callers.iter().any(|t| t.kind != Kind::None)
    }
}
