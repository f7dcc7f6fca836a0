//! The trace: what runs, and below it everything else of the name.

use std::io::{self, Write};

use wagon_yard_core::finding::Finding;
use wagon_yard_core::resolve::{Kind, Reason, Standing};
use wagon_yard_core::terminal::Way;
use wagon_yard_core::trace::{CallerTrace, CandidateTrace, CommandTrace, TerminalKind, TraceReport};

use super::{Page, escape, style};

/// Name by name.
pub fn write(report: &TraceReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    for (i, command) in report.commands.iter().enumerate() {
        if i > 0 {
            writeln!(out)?;
        }
        one(command, page, out)?;
    }
    Ok(())
}

/// Callers with the same answer, told together.
struct Answer<'a> {
    first: &'a CallerTrace,
    callers: Vec<String>,
}

fn one(command: &CommandTrace, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    writeln!(out, "{}", style::STRONG.over(&escape(&command.name)))?;
    for terminal in [TerminalKind::New, TerminalKind::This] {
        let answers = group(command, terminal);
        for (i, answer) in answers.iter().enumerate() {
            let place = match (i, terminal) {
                (0, TerminalKind::New) => "  a new terminal runs",
                (0, TerminalKind::This) => "  this terminal runs",
                _ => "  or",
            };
            page.labelled(out, &style::DIM.over(place), 23, &runs(answer.first))?;
            let how = if answer.first.proved { "proved" } else { "predicted" };
            page.labelled(out, "", 23, &style::DIM.over(&format!("{how}: {}", answer.callers.join(", "))))?;
        }
    }
    let mut shown: Vec<&[CandidateTrace]> = Vec::new();
    for traced in command.callers.iter().filter(|t| t.candidates.len() > 1 || t.candidates.iter().any(|c| c.reason.is_some())) {
        if shown.contains(&traced.candidates.as_slice()) {
            continue;
        }
        shown.push(&traced.candidates);
        let of = match traced.terminal {
            TerminalKind::New => "a new terminal",
            TerminalKind::This => "this terminal",
        };
        writeln!(out, "\n  in the order of PATH, {of}, {}", traced.caller.name())?;
        page.table(out, &["entry", "standing", "file"], traced.candidates.iter().map(candidate).collect())?;
    }
    let mut findings: Vec<&Finding> = command.callers.iter().flat_map(|t| &t.findings).collect();
    findings.dedup();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    Ok(())
}

fn group(command: &CommandTrace, terminal: TerminalKind) -> Vec<Answer<'_>> {
    let mut answers: Vec<Answer<'_>> = Vec::new();
    for traced in command.callers.iter().filter(|t| t.terminal == terminal) {
        let name = match traced.ways.len() {
            0 => traced.caller.name().to_owned(),
            n if n == Way::ALL.len() => traced.caller.name().to_owned(),
            _ => {
                let ways: Vec<_> = traced.ways.iter().map(|w| w.name()).collect();
                format!("{} ({})", traced.caller.name(), ways.join(", "))
            }
        };
        let same = |a: &&mut Answer<'_>| {
            (a.first.kind, &a.first.winner, a.first.proved) == (traced.kind, &traced.winner, traced.proved)
        };
        match answers.iter_mut().find(same) {
            Some(answer) => answer.callers.push(name),
            None => answers.push(Answer { first: traced, callers: vec![name] }),
        }
    }
    answers
}

fn runs(traced: &CallerTrace) -> String {
    match (traced.kind, &traced.winner) {
        (Kind::File, Some(path)) => style::GOOD.over(&escape(&path.to_string_lossy())),
        (Kind::Alias, _) => style::CAUTION.over("an alias of the shell"),
        (Kind::Function, _) => style::CAUTION.over("a function of the shell"),
        (Kind::Builtin, _) => style::CAUTION.over("the shell's own, built in"),
        (Kind::File | Kind::None, _) => style::BAD.over("nothing of this name"),
    }
}

fn candidate(candidate: &CandidateTrace) -> Vec<String> {
    let reason = candidate.reason.map(|reason| match reason {
        Reason::NotExecutable => "not executable",
        Reason::IsAFolder => "a folder",
        Reason::BrokenLink => "broken link",
        Reason::Unreadable => "unreadable",
    });
    let standing = match (candidate.standing, reason) {
        (Standing::Winner, _) => style::GOOD.over("winner"),
        (Standing::Shadowed, _) => "shadowed".to_owned(),
        (Standing::Skipped, reason) => format!("skipped, {}", reason.unwrap_or_default()),
    };
    vec![
        candidate.entry_index.map_or_else(|| "-".to_owned(), |i| (i + 1).to_string()),
        standing,
        escape(&candidate.path),
    ]
}
