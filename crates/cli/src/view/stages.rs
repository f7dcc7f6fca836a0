//! The stages of `receive` and `unpack`, a line each.

use std::io::{self, Write};

use wagon_yard_core::checksum::{Published, Summed};
use wagon_yard_core::download::Download;
use wagon_yard_core::jobs::receive::{LaidOut, Placed, Registered, Stage};
use wagon_yard_core::naming::Variable;

use super::stores::{goes_where, stores};
use super::text::{Page, bytes, count, escape, some_of};
use super::{check, prepared, style};

pub(super) const COLUMNS: usize = 10;

pub fn stage(stage: &Stage<'_>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let (label, text) = match stage {
        Stage::Downloaded(download) => ("download", downloaded(download)),
        Stage::Identified(format) => ("identify", format!("{}, {}", escape(&format.describe()), bytes(format.bytes))),
        Stage::Summed(summed) => ("checksum", checksum(summed)),
        Stage::LaidOut(tool) => ("layout", layout(tool)),
        Stage::Placed(tool) => ("unpack", placed(tool, page)),
        Stage::Prepared(files) => ("prepare", prepared::all_words(files)),
        Stage::Registered(tool) => ("register", registered(tool, page)),
        Stage::Checked(checked) => ("check", check::summary(checked)),
    };
    page.labelled(out, &style::STRONG.over(label), COLUMNS, &text)
}

fn downloaded(download: &Download) -> String {
    let address = escape(&download.address.to_string());
    match download.was_there {
        true => format!("{} from {address}, already downloaded", bytes(download.bytes)),
        false => format!("{} from {address}", bytes(download.bytes)),
    }
}

fn checksum(summed: &Summed) -> String {
    published(&summed.sha256.to_string(), &summed.published)
}

pub(super) fn published(sha256: &str, published: &[Published]) -> String {
    if published.is_empty() {
        return format!("SHA-256 {} {sha256}", style::CAUTION.over("not compared"));
    }
    let name = |p: &Published| format!("{} in {}", p.checksum.algorithm.name(), escape(&p.from));
    let given = |p: &&Published| p.from.starts_with("--");
    let found: Vec<String> = published.iter().filter(|p| !given(p)).map(name).collect();
    let other: Vec<&str> = published.iter().filter(given).map(|p| p.checksum.algorithm.name()).collect();
    let by = match (found.is_empty(), &other[..]) {
        (true, ["SHA-256"]) => String::new(),
        (true, other) => format!(" ({})", other.join(", ")),
        (false, _) => format!(" ({})", found.join(", ")),
    };
    format!("SHA-256 {}{by} {sha256}", style::GOOD.over("as published"))
}

fn layout(tool: &LaidOut) -> String {
    let meant = match (tool.os, tool.arch) {
        (Some(os), Some(arch)) => format!(" for {os} {arch}"),
        (Some(one), None) | (None, Some(one)) => format!(" for {one}"),
        (None, None) => String::new(),
    };
    let wrapper = match tool.layout.wrapper.as_os_str().is_empty() {
        true => "no wrapper folder".to_owned(),
        false => format!("wrapper folder {} removed", escape(&tool.layout.wrapper.to_string_lossy())),
    };
    let folders = tool.layout.command_folders.iter();
    let folders =
        folders.map(|f| if f.as_os_str().is_empty() { "its root".to_owned() } else { escape(&f.to_string_lossy()) });
    let names: Vec<String> = tool.layout.commands.iter().map(|c| escape(&c.name)).collect();
    format!(
        "{} {}{meant}; {wrapper}; {} in {}: {}",
        style::STRONG.over(tool.name.as_str()),
        style::STRONG.over(tool.version.as_str()),
        count(names.len(), "command", "commands"),
        folders.collect::<Vec<_>>().join(" and "),
        some_of(&names),
    )
}

fn placed(placed: &Placed, page: &Page) -> String {
    let LaidOut { listing, replaces, home, .. } = &placed.tool;
    let amount = format!("{}, {}", count(listing.files(), "file", "files"), bytes(listing.unpacked_bytes()));
    let verb = match (placed.dry_run, replaces) {
        (false, false) => "in",
        (false, true) => "replaced",
        (true, false) => "would go into",
        (true, true) => "would replace",
    };
    format!("{amount} {verb} {}", page.shown(home))
}

fn registered(registered: &Registered, page: &Page) -> String {
    let (card, dry_run) = (&registered.card, registered.placed.dry_run);
    if let Some(other) = &registered.stays_beside {
        return format!("not registered: {}@{} stays in use", card.name, escape(other));
    }
    let folders = count(registered.command_folders.len(), "command folder", "command folders");
    let variables: Vec<&str> = card.registration.iter().flat_map(|r| &r.home_variables).map(Variable::as_str).collect();
    let variables = if variables.is_empty() { String::new() } else { format!(", {} set", variables.join(" and ")) };
    let would = if dry_run { "would be " } else { "" };
    let place = goes_where(card.registration.as_ref().map(|r| r.scope).unwrap_or_default(), page);
    let stores = stores(&registered.stores, dry_run, page);
    format!("{folders} {would}{place}{variables}; {stores}")
}
