//! What was taken back.

use std::io::{self, Write};

use wagon_yard_core::jobs::undo::Undone;
use wagon_yard_core::report::Report;

use super::style;
use super::text::{Page, command_line, escape};

const COLUMNS: usize = 9;

pub fn write(report: &Report<Undone>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let verb = if report.dry_run { "would undo" } else { "undid" };
    let text = format!("{verb} change {}: {}", report.undone, style::STRONG.over(&escape(&report.does)));
    page.labelled(out, &style::STRONG.over("undo"), COLUMNS, &text)?;
    for touched in &report.touched {
        page.labelled(out, "", COLUMNS, &page.short_in(touched))?;
    }
    if report.touched.is_empty() {
        page.labelled(out, "", COLUMNS, "nothing left to undo")?;
    }
    for stays in &report.stays {
        let folder = page.short(&stays.folder.to_string_lossy());
        let text = match &stays.uninstaller {
            Some(command) => format!("{folder}, from its installer; to remove it: {}", command_line(command, page)),
            None => format!("{folder}, from its installer; no uninstaller is known"),
        };
        page.labelled(out, "stays", COLUMNS, &text)?;
    }
    match report.id {
        Some(id) => page.labelled(out, "", COLUMNS, &style::DIM.over(&format!("to redo: wyard undo {id}"))),
        None => Ok(()),
    }
}
