//! The trace of names.

use std::path::PathBuf;

use super::answers::{add_answer, predicted};
use super::elevated::{programs, with_registered};
use super::nearest::nearest;
use super::origins::Origins;
use super::report::{CallerTrace, CandidateTrace, CommandTrace, TracedCommands};
use crate::check;
use crate::finding::{Code, Finding};
use crate::report::{Report, ReportPath};
use crate::resolve::{Caller, Kind, LookupContext, Standing};
use crate::session::{JobError, Session};
use crate::shells::{StartMode, TerminalKind};
use crate::terminal::{Answer, Question};
use crate::yard::Stock;

#[derive(Debug, Clone, Default)]
pub struct TraceRequest {
    pub names: Vec<String>,
    pub caller: Option<Caller>,
    pub terminal: Option<TerminalKind>,
    /// Whether to ask each candidate for its version.
    pub versions: bool,
}

/// Traces the names. Shells that give no answer in a new terminal are told in a finding.
pub fn trace(session: &Session, request: &TraceRequest) -> Result<Report<TracedCommands>, JobError> {
    let (machine, system) = (&session.machine, session.system());
    let wanted = |caller: Caller| request.caller.is_none_or(|only| only == caller);
    let mut shells = session.shells()?.to_vec();
    let callers: Vec<Caller> = Caller::all()
        .filter(|c| {
            let is_here = c.shell().is_none_or(|s| shells.iter().any(|i| i.shell == s));
            wanted(*c) && c.system() == system && is_here && *c != Caller::Elevated
        })
        .collect();
    let this = request.terminal != Some(TerminalKind::New);
    let new = request.terminal != Some(TerminalKind::This);
    // What a program started in a new terminal finds is predicted from the PATH of a login shell.
    if ![Caller::program(system), Caller::Elevated, Caller::Run].into_iter().any(wanted) {
        shells.retain(|s| wanted(Caller::from(s.shell)));
    }
    let asking = session.asking_of(&shells)?;
    let stock = session.stock()?;
    let answers =
        if new { asking.everywhere(Question { commands: &request.names, variables: &[] }) } else { Vec::new() };
    let here = LookupContext::of(&machine.environment, &machine.current_folder);
    let mut origins = Origins::new(&asking);
    let mut commands = Vec::new();
    for name in &request.names {
        let mut traced: Vec<CallerTrace> = Vec::new();
        let ours = own_files(session, &stock, name);
        if new {
            let of_shells = answers.iter().filter(|a| wanted(Caller::from(a.shell)));
            of_shells.for_each(|answer| add_answer(&mut traced, answer, name, &ours, &mut origins));
            if let Some(answer) = login_answer(&answers) {
                traced.extend(programs(machine, name, answer, &wanted, &mut origins));
            }
        }
        if this {
            let context = |caller: Caller| match caller {
                Caller::Run => with_registered(name, &here, machine),
                _ => here.clone(),
            };
            traced.extend(callers.iter().map(|c| predicted(*c, name, &context(*c), TerminalKind::This)));
        }
        tell_stale(&mut traced, name);
        traced.sort_by_key(|t| (std::cmp::Reverse(t.terminal), t.caller));
        let mut command = CommandTrace { name: name.clone(), callers: traced, nearest: Vec::new() };
        if !command.is_answered() {
            let paths = answers.iter().filter_map(|a| a.said.as_ref().ok()).map(|said| &said.context);
            command.nearest = nearest(name, paths.chain([&here]));
        }
        commands.push(command);
    }
    if request.versions {
        ask_versions(session, &mut commands)?;
    }
    session.bail_if_interrupted()?;
    let answered = commands.iter().all(CommandTrace::is_answered) && stock.broken.is_empty();
    let evidence = answers.iter().filter_map(|answer| answer.evidence.as_deref().cloned()).collect();
    Ok(Report::new(TracedCommands { commands, evidence }).with_findings(stock.findings()).failed_if(!answered))
}

/// The answer that stands for what is started in a new terminal: that of a login shell, where there is one.
fn login_answer(answers: &[Answer]) -> Option<&Answer> {
    answers.iter().filter(|a| a.mode == StartMode::LoginCommand).chain(answers).find(|a| a.said.is_ok())
}

/// The files in the yard that a name means when its tools are in service and registered.
fn own_files(session: &Session, stock: &Stock, name: &str) -> Vec<PathBuf> {
    let cards = stock.in_service().into_iter().filter(|card| card.registration.is_some());
    let files = cards.flat_map(|card| {
        let home = session.yard.home_of(card);
        card.commands.iter().filter(|c| c.name == name).map(move |c| home.join(&c.path))
    });
    files.collect()
}

/// Asks each candidate that could run for its version, once for each file.
fn ask_versions(session: &Session, commands: &mut [CommandTrace]) -> Result<(), JobError> {
    let runs = |c: &CandidateTrace| c.standing != Standing::Skipped;
    let mut programs: Vec<(String, PathBuf)> = Vec::new();
    for command in &*commands {
        for candidate in command.callers.iter().flat_map(|t| &t.candidates).filter(|c| runs(c)) {
            let one = (command.name.clone(), candidate.file.clone());
            if !programs.iter().any(|(_, path)| *path == one.1) {
                programs.push(one);
            }
        }
    }
    let versions = check::versions(session, &programs, &session.machine.environment)?;
    for candidate in commands.iter_mut().flat_map(|c| &mut c.callers).flat_map(|t| &mut t.candidates) {
        candidate.version = versions.get(&candidate.file).filter(|_| runs(candidate)).cloned();
    }
    Ok(())
}

/// Marks this terminal's answers that a new one would not give.
fn tell_stale(traced: &mut [CallerTrace], name: &str) {
    let fresh: Vec<(Caller, Kind, Option<ReportPath>)> = traced
        .iter()
        .filter(|t| {
            t.terminal == TerminalKind::New
                && t.findings.iter().all(|f| !matches!(f.code, Code::NoTerminalAnswer | Code::NotProven))
        })
        .map(|t| (t.caller, t.kind, t.winner.clone()))
        .collect();
    for here in traced.iter_mut().filter(|t| t.terminal == TerminalKind::This) {
        let mut of_caller = fresh.iter().filter(|(caller, ..)| *caller == here.caller).peekable();
        // What aliases and functions this terminal has, only its own shell could tell.
        let differs = |(_, kind, winner): &(Caller, Kind, Option<ReportPath>)| {
            !matches!(kind, Kind::Alias | Kind::Function) && (*kind, winner) != (here.kind, &here.winner)
        };
        if of_caller.peek().is_some() && of_caller.all(differs) {
            let finding =
                Finding::new(Code::StaleTerminal, format!("{name} differs between this terminal and a new one"))
                    .remedy("open a new terminal, or update this one: wyard catch-up SHELL");
            here.findings.push(finding);
        }
    }
}
