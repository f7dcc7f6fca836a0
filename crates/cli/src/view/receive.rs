//! What came of `receive`, and what to do at its end.

use std::io::{self, Write};

use wagon_yard_core::finding::{Code, Finding};
use wagon_yard_core::jobs::receive::{Received, ReceivedTool};
use wagon_yard_core::report::Report;

use super::{Page, check, escape, install, style};

/// What follows the stages.
pub fn write(report: &Report<Received>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    match &**report {
        Received::Tool(received) => tool(received, &report.findings, page, out),
        Received::Plan(plan) => install::write_plan(plan, page, out),
        Received::Installed(installed) => install::write(installed, &report.findings, page, out),
    }
}

fn tool(report: &ReceivedTool, findings: &[Finding], page: &Page, out: &mut dyn Write) -> io::Result<()> {
    super::entries::left_out(&report.left_out, page, out)?;
    // The checksum has its own word among the stages.
    let findings: Vec<&Finding> = findings.iter().filter(|f| f.code != Code::NotCompared).collect();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    writeln!(out)?;
    if report.dry_run {
        return writeln!(out, "Dry run: nothing was changed.");
    }
    if report.stays_beside.is_some() {
        let text = format!("To use it: wyard switch {} {}", report.name, report.version);
        return page.labelled(out, "", 0, &text);
    }
    if let Some(checked) = &report.check {
        check::tool(checked, page, out)?;
        if checked.verdict.passes() {
            let first = checked.commands.first().map_or("", |c| c.name.as_str());
            let text = format!("Open a new terminal, then run: {}", style::STRONG.over(&escape(first)));
            writeln!(out)?;
            page.labelled(out, "", 0, &text)?;
        } else {
            let text = match report.taken_back {
                true => "Everything was rolled back; the machine is unchanged.".to_owned(),
                false => {
                    let undo = report.change.map_or_else(String::new, |id| format!(" To undo: wyard undo {id}"));
                    format!("Installed, but new terminals do not run it correctly; see above.{undo}")
                }
            };
            writeln!(out)?;
            page.labelled(out, "", 0, &text)?;
        }
    }
    Ok(())
}
