//! Entries of an archive that were not unpacked.

use std::io::{self, Write};

use wagon_yard_core::archive::LeftOut;

use super::style;
use super::text::{Page, count, escape};

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
