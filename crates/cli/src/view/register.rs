//! What `register` and `unregister` did.

use std::io::{self, Write};

use wagon_yard_core::receive::{RegisterReport, SwitchReport};

use super::receive::{scope, stores};
use super::{Page, style};

/// What `switch` did, and what new terminals make of it.
pub fn write_switch(report: &SwitchReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if let Some(was) = report.was.as_ref().filter(|was| **was != report.registered.version) {
        let verb = if report.registered.dry_run { "would give way" } else { "gives way" };
        page.labelled(out, "", 0, &format!("{}@{was} {verb}, and stays in the yard", report.registered.name))?;
    }
    write(&report.registered, page, out)?;
    if let Some(checked) = &report.check {
        writeln!(out)?;
        super::check::tool(checked, page, out)?;
    }
    Ok(())
}

/// One sentence, and what to do now.
pub fn write(report: &RegisterReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let tool = style::STRONG.over(&format!("{}@{}", report.name, report.version));
    let scope = scope(report.scope);
    let text = match (report.report, report.changed, report.dry_run) {
        ("switch", _, false) => format!("{tool} is in service now, in {scope}; "),
        ("switch", _, true) => format!("{tool} would be in service, in {scope}; "),
        ("register", true, false) => format!("{tool} is registered in {scope}; "),
        ("register", true, true) => format!("{tool} would be registered in {scope}; "),
        ("register", false, _) => format!("{tool} was registered already, and is now first; "),
        (_, true, false) => format!("{tool} is no longer registered, and stays in the yard; "),
        (_, true, true) => format!("{tool} would no longer be registered; "),
        (_, false, _) => format!("{tool} was not registered; "),
    };
    let stores = stores(&report.startup_files, &report.registry_values, report.dry_run);
    page.labelled(out, "", 0, &format!("{text}{stores}"))?;
    if !report.findings.is_empty() {
        page.findings(out, &report.findings.iter().collect::<Vec<_>>())?;
    }
    if report.changed && !report.dry_run {
        writeln!(out, "Terminals that are open keep what they had: open a new one.")?;
    }
    Ok(())
}
