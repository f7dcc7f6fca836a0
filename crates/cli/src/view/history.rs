//! What was changed, and what was taken back.

use std::io::{self, Write};

use wagon_yard_core::receive::{ChangeTold, HistoryReport, RetireReport, UndoReport};
use wagon_yard_core::yard::State;

use super::receive::{shown, stores};
use super::{Page, count, escape, style};

/// The column that texts stand in.
const COLUMNS: usize = 9;

/// All changes, or one in full.
pub fn write(report: &HistoryReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if report.changes.is_empty() {
        writeln!(out, "Nothing was changed yet.")?;
    }
    for (at, change) in report.changes.iter().enumerate() {
        if at > 0 {
            writeln!(out)?;
        }
        one(change, page, out)?;
    }
    if !report.damaged_lines.is_empty() {
        let lines: Vec<String> = report.damaged_lines.iter().map(ToString::to_string).collect();
        let text =
            format!("the ledger has lines that can't be read: {}; the next change sets them aside", lines.join(", "));
        page.labelled(out, &format!("\n{}", style::CAUTION.over("caution")), COLUMNS, &text)?;
    }
    Ok(())
}

fn one(change: &ChangeTold, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let record = &change.record;
    let state = match (record.state, change.undone) {
        (State::Done, false) => String::new(),
        (State::Done, true) => format!("   {}", style::DIM.over("taken back")),
        (State::TakenBack, _) => format!("   {}", style::CAUTION.over("broke off, and everything is as it was")),
        (State::Open, _) => format!("   {}", style::BAD.over("not finished")),
    };
    let does = style::STRONG.over(&escape(&record.does));
    page.labelled(out, &style::STRONG.over(&record.id.to_string()), COLUMNS, &format!("{does}{state}"))?;
    let when = record.time.split('.').next().unwrap_or_default().replace('T', " ");
    page.labelled(out, "", COLUMNS, &style::DIM.over(&format!("{when} UTC   {}", escape(&record.command))))?;
    if change.differences.is_empty() {
        for touched in &change.touched {
            page.labelled(out, "", COLUMNS, &page.short_in(touched))?;
        }
        return Ok(());
    }
    let (follow, told): (Vec<_>, Vec<_>) = change.differences.iter().partition(|difference| difference.follows);
    for difference in told {
        writeln!(out, "\n  {}", style::STRONG.over(&page.short(&difference.of)))?;
        for line in difference.diff.lines() {
            let text = escape(line);
            let text = match line.bytes().next() {
                Some(b'+') => style::GOOD.over(&text),
                Some(b'-') => style::BAD.over(&text),
                _ => text,
            };
            writeln!(out, "    {text}")?;
        }
    }
    if !follow.is_empty() {
        let files = count(follow.len(), "generated file follows", "generated files follow");
        page.labelled(out, "", 2, &style::DIM.over(&format!("\n  {files} from that; --json has them as well")))?;
    }
    Ok(())
}

/// What was taken back.
pub fn write_undo(report: &UndoReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let verb = if report.dry_run { "would take back" } else { "took back" };
    let text = format!("{verb} change {}: {}", report.undone, style::STRONG.over(&escape(&report.does)));
    page.labelled(out, &style::STRONG.over("undo"), COLUMNS, &text)?;
    for touched in &report.touched {
        page.labelled(out, "", COLUMNS, &page.short_in(touched))?;
    }
    if report.touched.is_empty() {
        page.labelled(out, "", COLUMNS, "nothing of it was left")?;
    }
    match report.id {
        Some(id) => page.labelled(out, "", COLUMNS, &style::DIM.over(&format!("to bring it back: wyard undo {id}"))),
        None => Ok(()),
    }
}

/// What was retired, or removed for good.
pub fn write_retire(report: &RetireReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    retired(report, page, out)?;
    match report.id {
        Some(id) => page.labelled(out, "", COLUMNS, &style::DIM.over(&format!("to bring it back: wyard undo {id}"))),
        None => Ok(()),
    }
}

/// What was done to the records and the stores.
pub fn retired(report: &RetireReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let label = style::STRONG.over("retire");
    if let Some(tool) = &report.tool {
        let verb = match (report.kept.is_some(), report.dry_run) {
            (true, true) => "would leave the stock",
            (true, false) => "left the stock",
            (false, true) => "would go from the records",
            (false, false) => "is no longer on record",
        };
        let stores = stores(&report.startup_files, &report.registry_values, report.dry_run);
        let text = format!("{} {verb}; {stores}", style::STRONG.over(&escape(tool)));
        page.labelled(out, &label, COLUMNS, &text)?;
        if let Some(kept) = &report.kept {
            let verb = if report.dry_run { "would be kept" } else { "is kept" };
            page.labelled(out, "", COLUMNS, &format!("its folder {verb} for 30 days in {}", shown(kept)))?;
        }
        if let Some(stays) = &report.stays {
            page.labelled(out, "", COLUMNS, &format!("its folder was only adopted, and stays: {}", shown(stays)))?;
        }
        if let Some(command) = report.uninstaller.as_ref().filter(|_| report.stays.as_ref().is_some_and(|f| f.exists()))
        {
            let text = format!("an installer brought it; to remove it whole, run: {}", escape(command));
            page.labelled(out, "", COLUMNS, &text)?;
        }
    } else if report.removed.is_empty() {
        page.labelled(out, &label, COLUMNS, "no retired tool is kept")?;
    }
    if !report.removed.is_empty() {
        let verb = if report.dry_run { "would be removed for good" } else { "removed for good" };
        let tools = count(report.removed.len(), "retired tool", "retired tools");
        page.labelled(out, &label, COLUMNS, &format!("{tools} {verb}"))?;
        for folder in &report.removed {
            page.labelled(out, "", COLUMNS, &shown(folder))?;
        }
    }
    Ok(())
}
