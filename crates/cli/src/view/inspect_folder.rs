//! A folder of downloads, as a table.

use std::io::{self, Write};

use wagon_yard_core::jobs::inspect::{Compared, FolderDownload, InspectedFolder};
use wagon_yard_core::report::Report;

use super::style;
use super::text::{Page, count, escape};

pub fn write(report: &Report<InspectedFolder>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let downloads = &report.downloads;
    let others = match report.others {
        0 => String::new(),
        others => format!("; {}", count(others, "other file", "other files")),
    };
    let title =
        format!("{} in {}{others}", count(downloads.len(), "download", "downloads"), page.shown(&report.folder));
    page.labelled(out, "", 0, &title)?;
    if downloads.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    let rows = downloads.iter().map(row).collect();
    page.table(out, &["file", "tool", "version", "for", "runs here", "yard"], rows)?;
    let mut told: Vec<&str> = Vec::new();
    for why in downloads.iter().filter_map(|download| download.hindrance.as_deref()) {
        if told.contains(&why) {
            continue;
        }
        if told.is_empty() {
            writeln!(out)?;
        }
        told.push(why);
        let is_so = |other: &&FolderDownload| other.hindrance.as_deref() == Some(why);
        let names: Vec<String> = downloads.iter().filter(is_so).map(file).collect();
        let why = page.short_in(why);
        let text = if why.contains(&names[0]) { why } else { format!("{}: {why}", names.join(", ")) };
        page.labelled(out, &format!("  {}", style::BAD.over("no")), 6, &text)?;
    }
    Ok(())
}

fn file(download: &FolderDownload) -> String {
    escape(&download.file.file_name().unwrap_or_default().to_string_lossy())
}

fn row(download: &FolderDownload) -> Vec<String> {
    let or_dash = |text: &Option<String>| text.as_deref().map_or_else(|| "-".to_owned(), escape);
    let machine: Vec<String> = [&download.os, &download.arch].into_iter().flatten().map(|text| escape(text)).collect();
    let runs = match (&download.hindrance, download.is_installer) {
        (Some(_), _) => style::BAD.over("no"),
        (None, true) => "installer".to_owned(),
        (None, false) => style::GOOD.over("yes"),
    };
    let held = || escape(&download.held.join(", "));
    let yard = match download.compared {
        Compared::New | Compared::Unknown => "-".to_owned(),
        Compared::Same => style::GOOD.over("has it"),
        Compared::Newer => format!("newer than {}", held()),
        Compared::Older => format!("older than {}", held()),
    };
    let machine = if machine.is_empty() { "-".to_owned() } else { machine.join(" ") };
    vec![file(download), or_dash(&download.name), or_dash(&download.version), machine, runs, yard]
}
