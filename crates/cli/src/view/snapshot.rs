//! A snapshot that was written.

use std::io::{self, Write};

use wagon_yard_core::clock;
use wagon_yard_core::jobs::snapshot::WrittenSnapshot;
use wagon_yard_core::report::Report;
use wagon_yard_core::snapshot::Snapshot;

use super::style;
use super::text::{Page, bytes, count, escape};

pub fn title(snapshot: &Snapshot) -> String {
    let name = snapshot.name.as_deref().unwrap_or("unnamed machine");
    let text = format!(
        "Snapshot of {} ({}), {}",
        escape(name),
        escape(&snapshot.system),
        escape(&clock::to_the_minute(&snapshot.taken))
    );
    style::DIM.over(&text)
}

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
    if report.is_kept {
        page.labelled(out, "", 0, "To see what has changed since: wyard compare --then")?;
    }
    page.all_findings(out, report)
}
