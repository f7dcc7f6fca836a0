//! Settings and launchers of a tool, as they are written.

use std::io::{self, Write};

use wagon_yard_core::jobs::preparing::{PreparedOutcome, PreparedReport};

use super::style;
use super::text::{Page, escape};

fn describe(prepared: &PreparedReport, is_planned: bool) -> String {
    let file = escape(&prepared.file.to_string_lossy());
    match prepared.outcome {
        PreparedOutcome::Made if is_planned => format!("write {file}"),
        PreparedOutcome::Changed if is_planned => format!("change {file}"),
        PreparedOutcome::Carried if is_planned => format!("take over {file} with your edits"),
        PreparedOutcome::Made => format!("{file} written"),
        PreparedOutcome::Changed => format!("{file} changed"),
        PreparedOutcome::Carried => format!("{file} taken over with your edits"),
        PreparedOutcome::SampleChanged => {
            let why = "its sample differs between the versions; compare by hand";
            style::CAUTION.over(&format!("your edits to {file} not taken over: {why}"))
        }
        PreparedOutcome::BothEdited => {
            let why = "it was edited in both versions; compare by hand";
            style::CAUTION.over(&format!("your edits to {file} not taken over: {why}"))
        }
    }
}

pub fn all_words(files: &[PreparedReport]) -> String {
    files.iter().map(|file| describe(file, false)).collect::<Vec<_>>().join("; ")
}

pub fn diffs(files: &[PreparedReport], indent: usize, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    for file in files {
        page.labelled(out, "", indent, &describe(file, true))?;
        for line in file.diff.iter().flat_map(|diff| diff.lines()) {
            write_line(line, indent + 2, out)?;
        }
    }
    Ok(())
}

pub fn write_line(line: &str, indent: usize, out: &mut dyn Write) -> io::Result<()> {
    let text = escape(line);
    let text = match line.bytes().next() {
        Some(b'+') => style::GOOD.over(&text),
        Some(b'-') => style::BAD.over(&text),
        _ => text,
    };
    writeln!(out, "{:indent$}{text}", "")
}
