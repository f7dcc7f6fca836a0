//! What `register` and `unregister` did.

use std::io::{self, Write};

use wagon_yard_core::finding::Finding;
use wagon_yard_core::jobs::register::{RegisteredTool, Registering};
use wagon_yard_core::jobs::switch::SwitchedTool;
use wagon_yard_core::report::Report;

use super::stores::{scope, stores};
use super::text::Page;
use super::{prepared, style};

/// What `switch` did, and what new terminals make of it.
pub fn write_switch(report: &Report<SwitchedTool>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if let Some(was) = report.was.as_ref().filter(|was| **was != report.registered.version) {
        let verb = if report.registered.dry_run { "would no longer be in use" } else { "is no longer in use" };
        page.labelled(out, "", 0, &format!("{}@{was} {verb}; it stays in the yard", report.registered.name))?;
    }
    if !report.prepared.is_empty() {
        page.labelled(out, "", 0, &prepared::all_words(&report.prepared))?;
    }
    registered(&report.registered, &report.findings, page, out)?;
    if let Some(checked) = &report.check {
        writeln!(out)?;
        super::check::tool(checked, page, out)?;
    }
    Ok(())
}

pub fn write(report: &Report<RegisteredTool>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    registered(report, &report.findings, page, out)
}

fn registered(report: &RegisteredTool, findings: &[Finding], page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let tool = style::STRONG.over(&format!("{}@{}", report.name, report.version));
    let scope = scope(report.scope);
    let text = match (report.does, report.changed, report.dry_run) {
        (Registering::Switch, _, false) => format!("{tool} is now in use, in {scope}; "),
        (Registering::Switch, _, true) => format!("{tool} would be in use, in {scope}; "),
        (Registering::Register(_), true, false) => format!("{tool} registered in {scope}; "),
        (Registering::Register(_), true, true) => format!("{tool} would be registered in {scope}; "),
        (Registering::Register(_), false, _) => format!("{tool} moved to the front of PATH; "),
        (Registering::Unregister, true, false) => format!("{tool} unregistered; it stays in the yard; "),
        (Registering::Unregister, true, true) => format!("{tool} would be unregistered; "),
        (Registering::Unregister, false, _) => format!("{tool} was not registered; "),
    };
    let stores = stores(&report.stores, report.dry_run, page);
    page.labelled(out, "", 0, &format!("{text}{stores}"))?;
    page.findings(out, &findings.iter().collect::<Vec<_>>())?;
    if report.changed && !report.dry_run {
        writeln!(out, "Open terminals are unchanged: open a new one.")?;
    }
    Ok(())
}
