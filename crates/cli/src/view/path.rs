//! PATH entry by entry, and what is done to it.

use std::io::{self, Write};

use wagon_yard_core::jobs::path::{PathAction, PathLine, PathScope, PathState, Step};
use wagon_yard_core::order::MeaningChange;
use wagon_yard_core::report::{Report, ReportPath};
use wagon_yard_core::scope::Scope;

use super::stores::stores;
use super::style;
use super::text::{Page, count, escape};

/// At most this many commands that change are named; JSON has all.
const MOST_NAMED: usize = 12;

/// PATH as it is; or what is done, what it changes, and PATH afterwards.
pub fn write(report: &Report<PathState>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if report.action != PathAction::Show {
        changes(report, page, out)?;
    }
    if report.action == PathAction::Show || report.changed {
        entries(&report.scopes, report, page, out)?;
    }
    page.all_findings(out, report)?;
    if report.changed && !report.dry_run {
        writeln!(out, "\nOpen terminals are unchanged: open a new one.")?;
    }
    Ok(())
}

fn changes(report: &Report<PathState>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if report.steps.is_empty() {
        return page.labelled(
            out,
            "",
            0,
            if report.action == PathAction::Tidy { "PATH is tidy" } else { "nothing to do" },
        );
    }
    for step in &report.steps {
        let (word, colour) = match (step.done, report.dry_run) {
            (true, false) => ("done", style::GOOD),
            (true, true) => ("would", style::GOOD),
            (false, _) => ("left", style::CAUTION),
        };
        page.labelled(out, &format!("  {}", colour.over(word)), 11, &sentence(step, page))?;
        if let Some(command) = &step.command {
            page.labelled(out, &format!("  {}", style::DIM.over("do")), 11, &escape(command))?;
        }
    }
    for proposal in &report.proposals {
        let line = proposal.line.map(|line| format!(", line {line}")).unwrap_or_default();
        writeln!(out)?;
        let text = format!(
            "{} comes from {}{line}; only you should change that:",
            page.shown(&proposal.entry),
            page.short(&proposal.place)
        );
        page.labelled(out, "  ", 2, &text)?;
        for line in proposal.diff.as_deref().unwrap_or_default().lines() {
            let line = escape(line);
            let shown = match line.chars().next() {
                Some('+') => style::GOOD.over(&line),
                Some('-') => style::BAD.over(&line),
                _ => line,
            };
            writeln!(out, "    {shown}")?;
        }
    }
    if report.changed {
        let stores = stores(&report.stores, report.dry_run, page);
        page.labelled(out, &format!("  {}", style::DIM.over("stores")), 11, &stores)?;
        meanings(&report.meanings, page, out)?;
    }
    Ok(())
}

fn entry(raw: &ReportPath, page: &Page) -> String {
    if raw.as_os_str().is_empty() { "(empty)".to_owned() } else { page.shown(raw) }
}

fn sentence(step: &Step, page: &Page) -> String {
    let entry = entry(&step.entry, page);
    let scope = if step.scope == Scope::System { ", in the system's PATH" } else { "" };
    format!("{} {entry}{scope}: {}", step.does.as_str(), escape(&step.reason))
}

fn meanings(changes: &[MeaningChange], page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let label = format!("  {}", style::DIM.over("commands"));
    if changes.is_empty() {
        return page.labelled(out, &label, 11, "none affected");
    }
    let words = count(changes.len(), "command changes", "commands change");
    page.labelled(out, &label, 11, &words)?;
    let file = |file: &Option<std::path::PathBuf>| {
        file.as_ref().map_or_else(|| style::DIM.over("none"), |file| page.short(&file.to_string_lossy()))
    };
    let rows =
        changes.iter().take(MOST_NAMED).map(|c| vec![escape(&c.name), file(&c.before), file(&c.after)]).collect();
    page.table(out, &["command", "before", "after"], rows)?;
    if changes.len() > MOST_NAMED {
        let more = format!("and {} more; --json has all", changes.len() - MOST_NAMED);
        page.labelled(out, "  ", 2, &style::DIM.over(&more))?;
    }
    Ok(())
}

fn entries(scopes: &[PathScope], report: &Report<PathState>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let title = match (report.action, report.dry_run) {
        (PathAction::Show, _) => "PATH of a new terminal",
        (_, true) => "PATH of a new terminal, after this change",
        (_, false) => "PATH of a new terminal, now",
    };
    if report.action != PathAction::Show {
        writeln!(out)?;
    }
    page.labelled(out, "", 0, &style::STRONG.over(title))?;
    let mut at = 0;
    for scope in scopes {
        if scopes.len() > 1 || scope.scope == Scope::System {
            let name = if scope.scope == Scope::System { "the system's" } else { "the user's" };
            writeln!(out, "  {}", style::DIM.over(name))?;
        }
        let row = |line: &PathLine| {
            at += 1;
            let is_its = |other: &&PathLine| (other.entry, &other.raw) == (line.entry, &line.raw);
            let raw = match scope.entries.iter().filter(is_its).count() {
                1 => entry(&line.raw, page),
                _ => format!("{} (of {})", page.shown(&line.expanded), entry(&line.raw, page)),
            };
            let raw = if line.exists { raw } else { style::CAUTION.over(&format!("{raw} (missing)")) };
            let origin = match (&line.tool, &line.origin) {
                (Some(tool), _) => format!("Wagon Yard, for {}", escape(tool)),
                (None, Some(origin)) => super::trace::place(origin, page),
                (None, None) => String::new(),
            };
            vec![at.to_string(), raw, style::DIM.over(&origin)]
        };
        page.table(out, &["", "entry", "added by"], scope.entries.iter().map(row).collect())?;
    }
    Ok(())
}
