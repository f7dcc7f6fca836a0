//! A page that was written.

use std::io::{self, Write};

use wagon_yard_core::jobs::page::WrittenPage;
use wagon_yard_core::report::Report;

use super::text::{Page, bytes, count, escape};

pub fn write(report: &Report<WrittenPage>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let machines: Vec<String> = report.machines.iter().map(|name| escape(name)).collect();
    let text = format!(
        "{} written, {}: {}, {}. Open it in a browser.",
        page.shown(&report.file),
        bytes(report.bytes as u64),
        machines.join(" and "),
        count(report.commands, "command", "commands"),
    );
    page.labelled(out, "", 0, &text)
}
