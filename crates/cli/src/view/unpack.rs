//! What `unpack` did.

use std::io::{self, Write};

use wagon_yard_core::finding::{Code, Finding};
use wagon_yard_core::jobs::unpack::Unpacked;
use wagon_yard_core::report::Report;

use super::entries::left_out;
use super::stages::COLUMNS;
use super::style;
use super::text::{Page, bytes, count};

/// A line like those of the stages, then what is to be known.
pub fn write(report: &Report<Unpacked>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let wrapper = match (report.wrapper.as_os_str().is_empty(), report.dry_run) {
        (true, _) => String::new(),
        (false, _) => format!("; wrapper folder {} removed", page.shown(&report.wrapper)),
    };
    let verb = if report.dry_run { "would go into" } else { "in" };
    let (files, size) = (count(report.files, "file", "files"), bytes(report.unpacked_bytes));
    let text = format!("{files}, {size} {verb} {}{wrapper}", page.shown(&report.into));
    page.labelled(out, &style::STRONG.over("unpack"), COLUMNS, &text)?;
    left_out(&report.left_out, page, out)?;
    let findings: Vec<&Finding> = report.findings.iter().filter(|f| f.code != Code::NotCompared).collect();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    Ok(())
}
