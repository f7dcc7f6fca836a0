//! What was retired, or deleted, and what an uninstaller did.

use std::io::{self, Write};

use wagon_yard_core::finding::Finding;
use wagon_yard_core::jobs::retire::{Retired, RetiredTool, UninstalledTool};
use wagon_yard_core::report::Report;

use super::stores::stores;
use super::style;
use super::text::{Page, command_line, count, escape};

const COLUMNS: usize = 9;

/// What was retired, what would be run, or what an uninstaller did.
pub fn write(report: &Report<Retired>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    match &**report {
        Retired::Tool(tool) => {
            retired(tool, page, out)?;
            bring_back(tool, page, out)
        }
        Retired::Plan(plan) => {
            let command = command_line(&plan.command, page);
            page.labelled(out, &style::STRONG.over("would run"), COLUMNS + 2, &command)
        }
        Retired::Uninstalled(done) => uninstalled(done, &report.findings, page, out),
    }
}

fn bring_back(tool: &RetiredTool, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    match tool.id {
        Some(id) => page.labelled(out, "", COLUMNS, &style::DIM.over(&format!("to undo: wyard undo {id}"))),
        None => Ok(()),
    }
}

fn retired(report: &RetiredTool, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let label = style::STRONG.over("retire");
    if let Some(tool) = &report.tool {
        let verb = match (report.kept.is_some(), report.dry_run) {
            (true, true) => "would be removed",
            (true, false) => "removed",
            (false, true) => "would be removed from the records",
            (false, false) => "removed from the records",
        };
        let stores = stores(&report.stores, report.dry_run, page);
        let text = format!("{} {verb}; {stores}", style::STRONG.over(&escape(tool)));
        page.labelled(out, &label, COLUMNS, &text)?;
        if let Some(kept) = &report.kept {
            let verb = if report.dry_run { "would be" } else { "is" };
            page.labelled(out, "", COLUMNS, &format!("its folder {verb} kept for 30 days in {}", page.shown(kept)))?;
        }
        if let (Some(other), Some((name, _))) = (report.others.last(), tool.split_once('@')) {
            let text = format!(
                "{name} unregistered; other versions: {}; to use one: wyard switch {name} {other}",
                report.others.join(", ")
            );
            page.labelled(out, "", COLUMNS, &escape(&text))?;
        }
        if let Some(stays) = &report.stays {
            page.labelled(out, "", COLUMNS, &format!("its adopted folder stays in place: {}", page.shown(stays)))?;
        }
        if let Some(command) = report.uninstaller.as_ref().filter(|_| report.stays.as_ref().is_some_and(|f| f.exists()))
        {
            let text =
                format!("it was installed by an installer; to remove it completely: {}", command_line(command, page));
            page.labelled(out, "", COLUMNS, &text)?;
        }
    } else if report.removed.is_empty() {
        page.labelled(out, &label, COLUMNS, "no retired tools")?;
    }
    if !report.removed.is_empty() {
        let verb = if report.dry_run { "would be deleted" } else { "deleted" };
        let tools = count(report.removed.len(), "retired tool", "retired tools");
        page.labelled(out, &label, COLUMNS, &format!("{tools} {verb}"))?;
        for folder in &report.removed {
            page.labelled(out, "", COLUMNS, &page.shown(folder))?;
        }
    }
    Ok(())
}

fn uninstalled(done: &UninstalledTool, findings: &[Finding], page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if let Some(tool) = &done.retired {
        retired(tool, page, out)?;
    }
    let ended = if done.well { style::GOOD } else { style::BAD }.over(&escape(&done.ended));
    let label = |text: &str| style::STRONG.over(text);
    page.labelled(out, &label("runs"), COLUMNS, &command_line(&done.command, page))?;
    page.labelled(out, &label("ended"), COLUMNS, &ended)?;
    for folder in &done.dropped {
        let text = format!("{} was still in PATH; removed", page.short(&folder.text()));
        page.labelled(out, &label("path"), COLUMNS, &text)?;
    }
    if done.retired.is_none() {
        page.labelled(out, &label("retire"), COLUMNS, "kept: its commands still exist")?;
    }
    page.findings(out, &findings.iter().collect::<Vec<_>>())
}
