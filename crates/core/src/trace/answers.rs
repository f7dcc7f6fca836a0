//! What one caller answers, asked or predicted.

use std::path::{Path, PathBuf};

use super::origins::Origins;
use super::report::{CallerTrace, CandidateTrace};
use crate::finding::{Code, Finding};
use crate::order::promotion;
use crate::report::ReportPath;
use crate::resolve::{self, Caller, Disk, Kind, LookupContext, Shell, Standing, same_file};
use crate::shells::{StartMode, TerminalKind};
use crate::system::System;
use crate::terminal::{Answer, NoAnswer, ShellReply};

/// Adds what a shell said, with other ways of starting it where they give the same.
pub(super) fn add_answer(
    traced: &mut Vec<CallerTrace>,
    answer: &Answer,
    name: &str,
    ours: &[PathBuf],
    origins: &mut Origins<'_>,
) {
    let mut one = match &answer.said {
        Ok(said) => {
            let mut one = proved(Caller::from(answer.shell), name, said);
            tell_losing(ours, &mut one, name, answer.shell, said);
            if let Some(doubt) = &answer.doubt {
                one.proved = false;
                one.findings.push(Finding::new(Code::NotProven, doubt).remedy(UNSEALED));
            }
            one
        }
        Err(why) => unproved(Caller::from(answer.shell), answer.mode, why),
    };
    let bare = |t: &CallerTrace| -> Vec<_> { t.candidates.iter().map(|c| (c.path.clone(), c.standing)).collect() };
    let like = |t: &&mut CallerTrace| {
        t.terminal == TerminalKind::New
            && (t.caller, t.kind, &t.winner) == (one.caller, one.kind, &one.winner)
            && (bare(t), &t.findings) == (bare(&one), &one.findings)
    };
    match traced.iter_mut().find(like) {
        Some(earlier) if earlier.modes.contains(&answer.mode) => {}
        Some(earlier) => earlier.modes.push(answer.mode),
        None => {
            one.modes = vec![answer.mode];
            if let Ok(said) = &answer.said {
                origins.put_in(&mut one, answer, said);
            }
            traced.push(one);
        }
    }
}

/// Tells of a command of ours that another copy comes before, and of the smallest change that mends it.
fn tell_losing(ours: &[PathBuf], one: &mut CallerTrace, name: &str, shell: Shell, said: &ShellReply) {
    let is_ours = |path: &Path| ours.iter().any(|ours| same_file(path, ours));
    let Some(winner) = one.winner.clone().filter(|winner| !ours.is_empty() && !is_ours(winner)) else { return };
    if let Some(undone) = ours.iter().find_map(|ours| said.undone_at_prompt(shell, name, ours, Some(&winner))) {
        one.findings.push(undone);
        return;
    }
    let finding =
        Finding::new(Code::Shadowed, format!("{name} is {}, which comes before the received one", winner.display()));
    one.findings.push(match ours.iter().find_map(|ours| promotion(name, ours, &said.context)) {
        Some(remedy) => finding.remedy(remedy),
        None => finding,
    });
}

pub(super) fn predicted(caller: Caller, name: &str, context: &LookupContext, terminal: TerminalKind) -> CallerTrace {
    let candidates = resolve::candidates(caller, name, context, &Disk);
    let winner = resolve::winner(&candidates).map(Path::to_owned);
    let alias = candidates.iter().find(|c| c.standing == Standing::Winner && c.app_alias);
    let findings = alias.map(|alias| app_alias(name, &alias.path)).into_iter().collect();
    let found = if winner.is_some() { Kind::File } else { Kind::None };
    let kind = resolve::own_answer(caller, name).unwrap_or(found);
    let winner = winner.filter(|_| kind == Kind::File).map(ReportPath::from);
    let candidates = CandidateTrace::list(&candidates, caller.system());
    CallerTrace { caller, terminal, modes: Vec::new(), proved: false, winner, kind, candidates, findings }
}

fn proved(caller: Caller, name: &str, said: &ShellReply) -> CallerTrace {
    let meaning = said.meaning(name);
    let mut traced = predicted(caller, name, &said.context, TerminalKind::New);
    traced.proved = true;
    traced.kind = meaning.kind;
    // A name with a folder in it is no question of PATH, and some shells search it all the same when they are asked.
    if name.contains('/') && caller.system() == System::Unix {
        return traced;
    }
    // The shell has the last word on which file it runs.
    let theirs = meaning.file.clone().filter(|_| meaning.kind == Kind::File);
    if let Some(theirs) =
        theirs.as_ref().filter(|file| traced.winner.as_ref().is_some_and(|ours| !same_file(ours, file)))
    {
        let seen = format!("{} has a fixed path for {name}: {}, not the one in PATH", caller.name(), theirs.display());
        let remedy = "remove the 'hash' line for the command from its startup files";
        traced.findings.push(Finding::new(Code::RememberedPlace, seen).remedy(remedy));
    }
    traced.winner = theirs.map(ReportPath::from);
    traced
}

/// Tells what an app-execution alias is.
fn app_alias(name: &str, alias: &Path) -> Finding {
    let seen = format!("{name} is an app execution alias: {}", alias.display());
    Finding::new(Code::AppAlias, seen).remedy("turn it off in the system settings, under 'App execution aliases'")
}

/// How what is not proven is proved all the same.
const UNSEALED: &str = "run it with --unsealed";

fn unproved(caller: Caller, mode: StartMode, why: &NoAnswer) -> CallerTrace {
    let place = format!("a new {} terminal of {}", mode.name(), caller.name());
    let mut traced = unanswered(caller, vec![mode]);
    traced.findings.push(match why {
        NoAnswer::NotAsked(_) => {
            let seen = format!("{place} was not verified: shells cannot be sealed on this system");
            Finding::new(Code::NotProven, seen).remedy(UNSEALED)
        }
        _ => Finding::new(Code::NoTerminalAnswer, format!("{place} did not answer")),
    });
    traced
}

pub(super) fn unanswered(caller: Caller, modes: Vec<StartMode>) -> CallerTrace {
    CallerTrace {
        caller,
        terminal: TerminalKind::New,
        modes,
        proved: false,
        winner: None,
        kind: Kind::None,
        candidates: Vec::new(),
        findings: Vec::new(),
    }
}
