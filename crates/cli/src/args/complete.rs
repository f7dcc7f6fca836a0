//! What the shell is told when somebody asks it to complete a word: besides commands and options, the tools of the yard,
//! their versions, findings, and numbers of changes. Nothing is written or run.

use std::ffi::OsStr;

use clap_complete::env::{CompleteEnv, Shells};
use clap_complete::{ArgValueCandidates, CompletionCandidate};
use wagon_yard_core::environment::{self, Environment};
use wagon_yard_core::finding::Code;
use wagon_yard_core::jobs::history::{self, HistoryRequest};
use wagon_yard_core::machine::Machine;
use wagon_yard_core::progress::Stop;
use wagon_yard_core::resolve::{Caller, Shell};
use wagon_yard_core::scope::Scope;
use wagon_yard_core::session::Session;
use wagon_yard_core::yard::Stock;

/// The variable by which a completion script asks.
const VARIABLE: &str = "WYARD_COMPLETE";

/// The shells that there is a script for.
const SHELLS: Shells<'static> = Shells::builtins();

/// Answers a completion script, given the command line, and ends the program; comes back where none asks.
pub fn answer(line: fn() -> clap::Command) {
    CompleteEnv::with_factory(line).var(VARIABLE).complete();
}

/// The names of the shells that there is a script for.
pub fn shells() -> Vec<&'static str> {
    SHELLS.names().collect()
}

/// The script for a shell; `None` for one that there is none for. It calls `wyard` from PATH at each question.
pub fn script(shell: &str) -> Option<Vec<u8>> {
    let mut script = Vec::new();
    let shell = SHELLS.completer(shell)?;
    // Only a write to memory.
    shell.write_registration(VARIABLE, "wyard", "wyard", "wyard", &mut script).ok()?;
    Some(script)
}

/// A session of the usual yard; a machine that cannot tell where that is completes nothing.
fn session() -> Option<Session> {
    let machine = Machine::new(Environment::of_process(), None, None, Scope::default()).ok()?;
    Some(Session::new(machine, Stop::default()))
}

fn stock() -> Stock {
    session().and_then(|session| session.stock().ok()).unwrap_or_default()
}

fn candidate(value: impl Into<String>, help: impl Into<String>) -> CompletionCandidate {
    CompletionCandidate::new(value.into()).help(Some(help.into().into()))
}

/// Tools, and of several versions each as NAME@VERSION.
pub fn tools() -> ArgValueCandidates {
    ArgValueCandidates::new(|| {
        let stock = stock();
        let mut found = Vec::new();
        for card in stock.iter() {
            let name = card.name.as_str();
            let versions: Vec<&str> =
                stock.iter().filter(|other| other.name == card.name).map(|other| other.version.as_str()).collect();
            if versions.first() == Some(&card.version.as_str()) {
                found.push(candidate(name, versions.join(", ")));
            }
            if versions.len() > 1 {
                found.push(candidate(format!("{name}@{}", card.version.as_str()), "this version"));
            }
        }
        found
    })
}

/// The versions of the tool that stands before on the line.
pub fn versions() -> ArgValueCandidates {
    ArgValueCandidates::new(|| {
        let words: Vec<_> = std::env::args_os().collect();
        let stock = stock();
        let named = stock.iter().filter(|card| words.iter().any(|word| word == OsStr::new(card.name.as_str())));
        named
            .map(|card| {
                let use_now = if card.registration.is_some() { "in use" } else { "not in use" };
                candidate(card.version.as_str(), format!("{}, {use_now}", card.name.as_str()))
            })
            .collect()
    })
}

/// The commands of the yard's tools.
pub fn commands() -> ArgValueCandidates {
    ArgValueCandidates::new(|| {
        let stock = stock();
        let tools = stock.in_service();
        let commands = tools.iter().flat_map(|card| card.commands.iter().map(move |command| (command, card)));
        commands.map(|(command, card)| candidate(&*command.name, card.name.as_str())).collect()
    })
}

/// The shells whose startup is known here.
pub fn known_shells() -> ArgValueCandidates {
    ArgValueCandidates::new(|| {
        let here = Shell::ALL.into_iter().filter(|shell| shell.system() == environment::host_system());
        here.map(|shell| CompletionCandidate::new(shell.name())).collect::<Vec<_>>()
    })
}

/// Who looks commands up on this system.
pub fn callers() -> ArgValueCandidates {
    ArgValueCandidates::new(|| {
        let here = Caller::all().filter(|caller| caller.system() == environment::host_system());
        here.map(|caller| CompletionCandidate::new(caller.name())).collect::<Vec<_>>()
    })
}

/// The codes of findings.
pub fn findings() -> ArgValueCandidates {
    ArgValueCandidates::new(|| {
        Code::ALL.iter().map(|code| candidate(code.as_str(), code.texts().means)).collect::<Vec<_>>()
    })
}

/// The numbers of changes.
pub fn changes() -> ArgValueCandidates {
    ArgValueCandidates::new(|| {
        let report = session().and_then(|session| history::run(&session, HistoryRequest::Recent).ok());
        let changes = report.map(|report| report.into_body().changes).unwrap_or_default();
        let told = |change: &history::ChangeTold| candidate(change.record.id.to_string(), change.record.does.clone());
        changes.iter().map(told).collect()
    })
}
