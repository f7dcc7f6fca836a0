//! The trace: what runs, and below it everything else of the name.

use std::io::{self, Write};

use wagon_yard_core::finding::Finding;
use wagon_yard_core::report::Report;
use wagon_yard_core::resolve::{Caller, Kind, Reason, Standing};
use wagon_yard_core::shells::{StartMode, TerminalKind};
use wagon_yard_core::terminal::{Found, Origin};
use wagon_yard_core::trace::{CallerTrace, CandidateTrace, CommandTrace, TracedCommands};

use super::text::{Page, escape};
use super::{evidence, style};

pub fn write(report: &Report<TracedCommands>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    for (i, command) in report.commands.iter().enumerate() {
        if i > 0 {
            writeln!(out)?;
        }
        one(command, page, out)?;
    }
    page.all_findings(out, report)?;
    evidence::write(&report.evidence, page, out)
}

/// Callers with the same answer, told together.
struct Answer<'a> {
    first: &'a CallerTrace,
    of: Vec<&'a CallerTrace>,
}

fn one(command: &CommandTrace, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let name = if command.name.is_empty() { "\"\"".to_owned() } else { escape(&command.name) };
    let label = style::STRONG.over(&name);
    let groups = [TerminalKind::New, TerminalKind::This].map(|terminal| group(command, terminal));
    let agree =
        matches!(&groups, [new, this] if new.len() == 1 && this.len() == 1 && same(new[0].first, this[0].first));
    for (answers, terminal) in groups.iter().zip(["new terminals", "this terminal"]) {
        let is_first = terminal == "new terminals" || groups[0].is_empty();
        if agree && !is_first {
            break;
        }
        let several = answers.len() > 1;
        for (i, answer) in answers.iter().enumerate() {
            let lead = if is_first && i == 0 { label.clone() } else { " ".repeat(style::columns(&label)) };
            let whose = match (agree, several) {
                (true, _) => "every terminal".to_owned(),
                (_, false) => terminal.to_owned(),
                (_, true) => format!("{terminal}: {}", names(&answer.of).join(", ")),
            };
            let text = format!("{} {}", runs(answer.first, page), style::DIM.over(&format!("({whose})")));
            page.labelled(out, &lead, style::columns(&label) + 2, &text)?;
        }
    }
    if groups.iter().all(Vec::is_empty) {
        writeln!(out, "{label}")?;
    }
    for (proved, how) in [(true, "asked"), (false, "predicted")] {
        let of: Vec<&CallerTrace> = command.callers.iter().filter(|traced| traced.proved == proved).collect();
        let mut callers = names(&of);
        callers.sort();
        callers.dedup();
        if !callers.is_empty() {
            page.labelled(out, &style::DIM.over(&format!("  {how}")), 13, &style::DIM.over(&callers.join(", ")))?;
        }
    }
    for terminal in [TerminalKind::New, TerminalKind::This] {
        orders(command, terminal, page, out)?;
    }
    if !command.nearest.is_empty() {
        let near: Vec<String> = command.nearest.iter().map(|name| escape(name)).collect();
        page.labelled(out, &style::DIM.over("  similar"), 13, &near.join(", "))?;
    }
    let mut findings: Vec<&Finding> = command.callers.iter().flat_map(|t| &t.findings).collect();
    findings.dedup();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    Ok(())
}

/// The candidates in their order, once for all callers that see the same; left out where there is nothing to choose.
fn orders(command: &CommandTrace, terminal: TerminalKind, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let mut orders: Vec<(Vec<&CandidateTrace>, Vec<&CallerTrace>)> = Vec::new();
    for traced in command.callers.iter().filter(|t| t.terminal == terminal) {
        let files = once_each(&traced.candidates);
        match orders.iter_mut().find(|(seen, _)| key(seen) == key(&files)) {
            Some((_, of)) => of.push(traced),
            None => orders.push((files, vec![traced])),
        }
    }
    let whose = match terminal {
        TerminalKind::New => "a new terminal",
        TerminalKind::This => "this terminal",
    };
    let several = orders.len() > 1;
    for (files, of) in orders {
        if files.len() < 2 && files.iter().all(|c| c.reason.is_none()) {
            continue;
        }
        let callers = if several { format!(" ({})", names(&of).join(", ")) } else { String::new() };
        writeln!(out)?;
        page.labelled(out, "  ", 2, &format!("candidates in PATH order, {whose}{callers}"))?;
        let versions = files.iter().any(|c| c.version.is_some());
        let origins = files.iter().any(|c| c.origin.is_some());
        let heading =
            [("entry", true), ("standing", true), ("file", true), ("version", versions), ("added by", origins)];
        let shown = |row: Vec<String>| row.into_iter().zip(heading).filter(|(_, (_, is))| *is).map(|(cell, _)| cell);
        let rows = files.iter().map(|c| shown(candidate(c, page)).collect()).collect();
        let heading: Vec<&str> = heading.iter().filter(|(_, is)| *is).map(|(word, _)| *word).collect();
        page.table(out, &heading, rows)?;
    }
    Ok(())
}

/// The candidates without those that lead to the same file as an earlier one by the same name.
fn once_each(candidates: &[CandidateTrace]) -> Vec<&CandidateTrace> {
    let mut seen = std::collections::HashSet::new();
    candidates.iter().filter(|c| seen.insert(&c.path)).collect()
}

/// What makes two lists of candidates the same to a reader.
fn key<'a>(candidates: &[&'a CandidateTrace]) -> Vec<(&'a str, Standing)> {
    candidates.iter().map(|c| (c.path.as_str(), c.standing)).collect()
}

fn group(command: &CommandTrace, terminal: TerminalKind) -> Vec<Answer<'_>> {
    let mut answers: Vec<Answer<'_>> = Vec::new();
    for traced in command.callers.iter().filter(|t| t.terminal == terminal) {
        match answers.iter_mut().find(|answer| same(answer.first, traced)) {
            Some(answer) => answer.of.push(traced),
            None => answers.push(Answer { first: traced, of: vec![traced] }),
        }
    }
    // What was proved says more than what was predicted.
    answers.sort_by_key(|a| !a.of.iter().any(|t| t.proved));
    answers
}

fn same(one: &CallerTrace, other: &CallerTrace) -> bool {
    (one.kind, &one.winner) == (other.kind, &other.winner)
}

/// The callers by name, with the ways of starting where they are not all.
fn names(of: &[&CallerTrace]) -> Vec<String> {
    let by_caller = of.chunk_by(|a, b| a.caller == b.caller);
    by_caller
        .map(|traces| {
            let name = traces[0].caller.name();
            let modes: Vec<_> = traces.iter().flat_map(|t| &t.modes).map(|w| w.name()).collect();
            let all = modes.is_empty()
                || traces[0].caller.shell().is_none_or(|shell| modes.len() == StartMode::of(shell).len());
            if all { name.to_owned() } else { format!("{name} ({})", modes.join(", ")) }
        })
        .collect()
}

fn runs(traced: &CallerTrace, page: &Page) -> String {
    match (traced.kind, &traced.winner) {
        (Kind::File, Some(path)) if traced.findings.is_empty() => style::GOOD.over(&page.shown(path)),
        (Kind::File, Some(path)) => style::CAUTION.over(&page.shown(path)),
        (Kind::Alias, _) => style::CAUTION.over("a shell alias"),
        (Kind::Function, _) => style::CAUTION.over("a shell function"),
        (Kind::Builtin, _) => style::CAUTION.over("a shell builtin"),
        (Kind::None, _) if traced.caller == Caller::CreateProcess => {
            style::CAUTION.over("not found: programs only try .exe")
        }
        (Kind::File | Kind::None, _) => style::BAD.over("command not found"),
    }
}

pub fn reason(reason: Reason) -> &'static str {
    match reason {
        Reason::NotExecutable => "not executable",
        Reason::IsAFolder => "a folder",
        Reason::BrokenLink => "broken link",
        Reason::Unreadable => "unreadable",
        Reason::ExtensionNotListed => "extension not in PATHEXT",
    }
}

fn candidate(candidate: &CandidateTrace, page: &Page) -> Vec<String> {
    let reason = candidate.reason.map(reason);
    let standing = match (candidate.standing, reason) {
        (Standing::Winner, _) => style::GOOD.over("winner"),
        (Standing::Shadowed, _) if candidate.same_as.is_some() => "same file".to_owned(),
        (Standing::Shadowed, _) => "shadowed".to_owned(),
        (Standing::Skipped, reason) => format!("skipped, {}", reason.unwrap_or_default()),
    };
    let mut file = page.short(&candidate.path);
    let leads_to = candidate.leads_to.as_ref().map(|file| file.text().into_owned());
    for (other, words) in [(&leads_to, "leads to"), (&candidate.starts, "starts")] {
        if let Some(other) = other {
            file.push_str(&style::DIM.over(&format!(", {words} {}", page.short(other))));
        }
    }
    vec![
        candidate.entry_index.map_or_else(|| "-".to_owned(), |i| (i + 1).to_string()),
        standing,
        file,
        candidate.version.clone().unwrap_or_default(),
        candidate.origin.as_ref().map(|origin| style::DIM.over(&place(origin, page))).unwrap_or_default(),
    ]
}

/// The file and its line, or the registry's value.
pub(super) fn place(origin: &Origin, page: &Page) -> String {
    match origin.found {
        Found::Yard => return "Wagon Yard".to_owned(),
        Found::UserRegistry => return "user Path, registry".to_owned(),
        Found::SystemRegistry => return "system Path, registry".to_owned(),
        Found::Traced | Found::Read | Found::Session | Found::Recorded => {}
    }
    let place = page.short(&origin.place);
    origin.line.map_or_else(|| place.clone(), |line| format!("{place}:{line}"))
}
