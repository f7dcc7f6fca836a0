//! What was changed.

use std::io::{self, Write};

use wagon_yard_core::change::State;
use wagon_yard_core::jobs::history::{ChangeTold, History};
use wagon_yard_core::report::Report;

use super::text::{Page, count, escape, some_of};
use super::{prepared, style};

const COLUMNS: usize = 9;

pub fn write(report: &Report<History>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if report.changes.is_empty() {
        writeln!(out, "No changes yet.")?;
    }
    for (at, change) in report.changes.iter().enumerate() {
        if at > 0 {
            writeln!(out)?;
        }
        one(change, page, out)?;
    }
    if report.archived > 0 && report.changes.len() > 1 {
        let older = count(usize::try_from(report.archived).unwrap_or(usize::MAX), "older change", "older changes");
        page.labelled(out, "", 0, &style::DIM.over(&format!("\n{older} archived; to list them: wyard history --all")))?;
    }
    if !report.damaged_lines.is_empty() {
        let lines: Vec<String> = report.damaged_lines.iter().map(ToString::to_string).collect();
        let text = format!("unreadable lines in the ledger: {}; the next change moves them aside", some_of(&lines));
        page.labelled(out, &format!("\n{}", style::CAUTION.over("caution")), COLUMNS, &text)?;
    }
    Ok(())
}

fn one(change: &ChangeTold, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let record = &change.record;
    let state = match (record.state, change.undone) {
        (State::Done, false) => String::new(),
        (State::Done, true) => format!("   {}", style::DIM.over("undone")),
        (State::TakenBack, _) => format!("   {}", style::CAUTION.over("failed and was rolled back")),
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
            prepared::write_line(line, 4, out)?;
        }
    }
    if !follow.is_empty() {
        let files = count(follow.len(), "generated file", "generated files");
        page.labelled(out, "", 2, &style::DIM.over(&format!("\n  and {files}; --json lists them")))?;
    }
    Ok(())
}
