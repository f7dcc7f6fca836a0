//! What `unpack` did.

use std::io::{self, Write};

use wagon_yard_core::archive::LeftOut;
use wagon_yard_core::finding::{Code, Finding};
use wagon_yard_core::receive::UnpackReport;

use super::receive::{COLUMNS, shown};
use super::{Page, bytes, count, escape, style};

/// A line like those of the stages, then what is to be known.
pub fn write(report: &UnpackReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let wrapper = match (report.wrapper.as_os_str().is_empty(), report.dry_run) {
        (true, _) => String::new(),
        (false, _) => format!("; wrapper folder {} removed", shown(&report.wrapper)),
    };
    let verb = if report.dry_run { "would go into" } else { "in" };
    let (files, size) = (count(report.files, "file", "files"), bytes(report.unpacked_bytes));
    let text = format!("{files}, {size} {verb} {}{wrapper}", shown(&report.into));
    page.labelled(out, &style::STRONG.over("unpack"), COLUMNS, &text)?;
    left_out(&report.left_out, page, out)?;
    let findings: Vec<&Finding> = report.findings.iter().filter(|f| f.code != Code::NotCompared).collect();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    Ok(())
}

/// The entries that were not unpacked.
pub(super) fn left_out(entries: &[LeftOut], page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if entries.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    page.labelled(
        out,
        &format!("  {}", style::CAUTION.over("left out")),
        12,
        &count(entries.len(), "entry", "entries"),
    )?;
    for entry in entries {
        page.labelled(out, "", 12, &format!("{}: {}", escape(&entry.entry), escape(&entry.reason)))?;
    }
    Ok(())
}
