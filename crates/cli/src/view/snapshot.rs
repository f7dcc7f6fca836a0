//! A snapshot that was written.

use std::io::{self, Write};

use wagon_yard_core::jobs::snapshot::WrittenSnapshot;
use wagon_yard_core::report::Report;

use super::{Page, bytes, count};

/// One sentence, and what is worth telling.
pub fn write(report: &Report<WrittenSnapshot>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let text = format!(
        "{} written, {}: {}, {} in {}, {}",
        page.shown(&report.file),
        bytes(report.bytes),
        count(report.terminals, "kind of terminal", "kinds of terminals"),
        count(report.programs, "program", "programs"),
        count(report.folders, "folder", "folders"),
        count(report.tools, "tool", "tools"),
    );
    page.labelled(out, "", 0, &text)?;
    page.all_findings(out, report)
}
