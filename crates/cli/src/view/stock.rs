//! The stock, as a table.

use std::io::{self, Write};

use wagon_yard_core::receive::StockReport;

use super::receive::shown;
use super::{Page, escape, style};

/// The table.
pub fn write(report: &StockReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    page.labelled(out, "yard ", 5, &shown(&report.yard))?;
    writeln!(out)?;
    if report.tools.is_empty() {
        return writeln!(out, "It holds no tool yet: 'wyard receive FILE' brings one.");
    }
    let rows = report.tools.iter().map(|tool| {
        vec![
            if tool.in_service { style::STRONG.over(&tool.name) } else { tool.name.clone() },
            tool.version.clone(),
            if tool.in_service { "in service".to_owned() } else { "-".to_owned() },
            tool.registered.map_or("-", |_| "user").to_owned(),
            tool.commands.iter().map(|c| escape(c)).collect::<Vec<_>>().join(", "),
        ]
    });
    page.table(out, &["tool", "version", "state", "registered", "commands"], rows.collect())
}
