//! What came of `receive`, and what to do at its end.

use std::io::{self, Write};

use wagon_yard_core::finding::{Code, Finding};
use wagon_yard_core::jobs::receive::{Received, ReceivedTool};
use wagon_yard_core::report::Report;

use super::text::Page;
use super::{check, install};

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
    if report.tool.stays_beside.is_some() {
        let text = format!("To use it: wyard switch {} {}", report.tool.name, report.tool.version);
        return page.labelled(out, "", 0, &text);
    }
    if let Some(checked) = &report.check {
        check::tool(checked, page, out)?;
        if report.taken_back {
            writeln!(out)?;
            return page.labelled(out, "", 0, "Everything was rolled back; the machine is unchanged.");
        }
        check::outcome(checked, report.change, page, out)?;
    }
    Ok(())
}
