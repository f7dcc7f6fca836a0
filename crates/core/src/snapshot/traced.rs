//! The trace of names on a recorded machine.

use std::path::Path;

use super::format::{RecordedTerminal, Snapshot};
use super::lookup::Lookup;
use crate::resolve::{self, Caller, Candidate, Kind, Standing};
use crate::shells::{StartMode, TerminalKind};
use crate::terminal::{Found, Origin};
use crate::trace::{CallerTrace, CandidateTrace, CommandTrace, TracedCommands};

/// Traces names in the recorded terminals; all of them, or those of one caller. Aliases and functions are not in a snapshot, so
/// that nothing is proved.
pub fn traced(snapshot: &Snapshot, names: &[String], only: Option<Caller>) -> TracedCommands {
    let lookup = Lookup::new(snapshot);
    let commands = names.iter().map(|name| {
        let wanted = lookup.terminals().filter(|(caller, _)| only.is_none_or(|only| only == *caller));
        let mut callers: Vec<CallerTrace> = Vec::new();
        for (caller, terminal) in wanted {
            let one = of_terminal(&lookup, caller, terminal, name);
            let same = |known: &&mut CallerTrace| (known.caller, &known.winner) == (caller, &one.winner);
            match callers.iter_mut().find(same) {
                Some(known) => known.modes.extend(one.modes),
                None => callers.push(one),
            }
        }
        callers.sort_by_key(|traced| traced.caller);
        CommandTrace { name: name.clone(), callers, nearest: Vec::new() }
    });
    TracedCommands { commands: commands.collect(), evidence: Vec::new() }
}

fn of_terminal(lookup: &Lookup<'_>, caller: Caller, terminal: &RecordedTerminal, name: &str) -> CallerTrace {
    let candidates = lookup.candidates(caller, terminal, name);
    let winner = resolve::winner(&candidates).map(Path::to_owned);
    let found = if winner.is_some() { Kind::File } else { Kind::None };
    let kind = resolve::own_answer(caller, name).unwrap_or(found);
    let winner = winner.filter(|_| kind == Kind::File).map(|winner| lookup.shown(&winner).into());
    let mut list: Vec<CandidateTrace> = Vec::new();
    for candidate in &candidates {
        let mut one = of_candidate(lookup, terminal, candidate);
        let real = |known: &CandidateTrace| known.leads_to.clone().unwrap_or_else(|| known.path.clone().into());
        one.same_as = list.iter().position(|earlier| real(earlier) == real(&one));
        list.push(one);
    }
    let modes = terminal.modes.iter().filter_map(|mode| StartMode::ALL.into_iter().find(|known| known.name() == mode));
    CallerTrace {
        caller,
        terminal: TerminalKind::New,
        modes: modes.collect(),
        proved: false,
        winner,
        kind,
        candidates: list,
        findings: Vec::new(),
    }
}

fn of_candidate(lookup: &Lookup<'_>, terminal: &RecordedTerminal, candidate: &Candidate) -> CandidateTrace {
    let file = lookup.file(&candidate.path);
    let entry = candidate.entry.as_ref().and_then(|(_, at)| terminal.entries.get(*at));
    let origin =
        entry.and_then(|entry| Some(Origin { place: entry.origin.clone()?, line: entry.line, found: Found::Recorded }));
    CandidateTrace {
        file: candidate.path.clone(),
        path: lookup.shown(&candidate.path),
        path_bytes: None,
        entry: entry.map(|entry| entry.written().to_owned().into()),
        entry_index: candidate.entry.as_ref().map(|(_, at)| *at),
        origin,
        standing: candidate.standing,
        reason: candidate.reason,
        leads_to: lookup.real(&candidate.path).map(Into::into),
        same_as: None,
        starts: None,
        version: file.filter(|_| candidate.standing != Standing::Skipped).and_then(|file| file.version.clone()),
    }
}
