//! The stages of `receive`, and what to do at its end.

use std::io::{self, Write};
use std::path::Path;

use wagon_yard_core::checksum::Published;
use wagon_yard_core::finding::{Code, Finding};
use wagon_yard_core::os;
use wagon_yard_core::receive::{ReceiveReport, Stage, Summed};
use wagon_yard_core::store::{Action, RegistryChange, StartupChange};
use wagon_yard_core::system::System;
use wagon_yard_core::yard::Scope;

use super::{Page, bytes, check, count, escape, style};

/// The column that stage texts stand in.
pub(super) const COLUMNS: usize = 10;

/// One line for a stage.
pub fn stage(stage: &Stage<'_>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let (label, text) = match stage {
        Stage::Identified(format) => ("identify", format!("{}, {}", escape(&format.words()), bytes(format.bytes))),
        Stage::Summed(summed) => ("checksum", checksum(summed)),
        Stage::LaidOut(report) => ("layout", layout(report)),
        Stage::Unpacked(report) => ("unpack", unpacked(report)),
        Stage::Registered(report) => ("register", registered(report)),
        Stage::Checked(checked) => ("check", check::summary(checked)),
    };
    page.labelled(out, &style::STRONG.over(label), COLUMNS, &text)
}

/// The file's checksum, and what it was compared with.
fn checksum(summed: &Summed) -> String {
    published(&summed.sha256.value, &summed.published)
}

/// A file's SHA-256, and what it was compared with.
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

/// What follows the stages.
pub fn write(report: &ReceiveReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    super::unpack::left_out(&report.left_out, page, out)?;
    // The checksum has its own word among the stages.
    let findings: Vec<&Finding> = report.findings.iter().filter(|f| f.code != Code::NotCompared).collect();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    writeln!(out)?;
    if report.dry_run {
        return writeln!(out, "Nothing was written. Without --dry-run this is what happens.");
    }
    if report.stays_beside.is_some() {
        let text = format!("To put it in service: wyard switch {} {}", report.name, report.version);
        return page.labelled(out, "", 0, &text);
    }
    if let Some(checked) = &report.check {
        check::tool(checked, page, out)?;
        if checked.verdict.passes() {
            let first = checked.commands.first().map_or("", |c| c.name.as_str());
            let text = format!("Open a new terminal, then run: {}", style::STRONG.over(&escape(first)));
            writeln!(out)?;
            page.labelled(out, "", 0, &text)?;
        } else {
            let text = match report.taken_back {
                true => "Everything was taken back: the machine is as it was before.".to_owned(),
                false => {
                    let undo =
                        report.change.map_or_else(String::new, |id| format!(" To take it all back: wyard undo {id}"));
                    format!("The tool is in the yard, but new terminals do not run it as they should: see above.{undo}")
                }
            };
            writeln!(out)?;
            page.labelled(out, "", 0, &text)?;
        }
    }
    Ok(())
}

fn layout(report: &ReceiveReport) -> String {
    let meant = match (report.os, report.arch) {
        (Some(os), Some(arch)) => format!(" for {os} {arch}"),
        (Some(one), None) | (None, Some(one)) => format!(" for {one}"),
        (None, None) => String::new(),
    };
    let wrapper = match report.wrapper.as_os_str().is_empty() {
        true => "no wrapper folder".to_owned(),
        false => format!("wrapper folder {} removed", shown(&report.wrapper)),
    };
    let folders: Vec<String> = report
        .command_folders
        .iter()
        .map(|f| f.strip_prefix(&report.home).unwrap_or(f))
        .map(|f| if f.as_os_str().is_empty() { "its root".to_owned() } else { shown(f) })
        .collect();
    let names: Vec<String> = report.commands.iter().map(|c| escape(&c.name)).collect();
    format!(
        "{} {}{meant}; {wrapper}; {} in {}: {}",
        style::STRONG.over(&report.name),
        style::STRONG.over(&report.version),
        count(names.len(), "command", "commands"),
        folders.join(" and "),
        some_of(&names),
    )
}

fn unpacked(report: &ReceiveReport) -> String {
    let amount = format!("{}, {}", count(report.files, "file", "files"), bytes(report.unpacked_bytes));
    let verb = match (report.dry_run, report.replaced) {
        (false, false) => "in",
        (false, true) => "in place of what was in",
        (true, false) => "would go into",
        (true, true) => "would replace what is in",
    };
    format!("{amount} {verb} {}", shown(&report.home))
}

fn registered(report: &ReceiveReport) -> String {
    if let Some(other) = &report.stays_beside {
        return format!("not registered: {}@{} stays in service", report.name, escape(other));
    }
    let folders = count(report.command_folders.len(), "command folder", "command folders");
    let variables: Vec<&str> = report.home_variables.iter().map(wagon_yard_core::layout::Variable::as_str).collect();
    let variables = if variables.is_empty() { String::new() } else { format!(", {} set", variables.join(" and ")) };
    let would = if report.dry_run { "would be " } else { "" };
    let scope = scope(report.scope);
    let stores = stores(&report.startup_files, &report.registry_values, report.dry_run);
    format!("{folders} {would}first in {scope}{variables}; {stores}")
}

/// Whose PATH, in words.
pub(super) fn scope(scope: Scope) -> &'static str {
    match scope {
        Scope::User => "the user's PATH",
        Scope::System => "the system's PATH",
    }
}

/// What happens to the stores, in words.
pub(super) fn stores(files: &[StartupChange], values: &[RegistryChange], dry_run: bool) -> String {
    match os::HERE {
        System::Unix => startup(files, dry_run),
        System::Windows => registry(values, dry_run),
    }
}

fn registry(changes: &[RegistryChange], dry_run: bool) -> String {
    let named = |removed: bool| -> Vec<String> {
        changes.iter().filter(|c| c.after.is_none() == removed).map(|c| escape(&c.name)).collect()
    };
    let mut parts = Vec::new();
    for (removed, done, planned) in [(false, "written", "to be written"), (true, "removed", "to be removed")] {
        let names = named(removed);
        if !names.is_empty() {
            parts.push(format!("{} {}", if dry_run { planned } else { done }, names.join(" and ")));
        }
    }
    if parts.is_empty() { "the registry stays as it is".to_owned() } else { format!("registry: {}", parts.join("; ")) }
}

fn startup(changes: &[StartupChange], dry_run: bool) -> String {
    let named = |action: Action| -> Vec<String> {
        changes
            .iter()
            .filter(|c| c.action == action)
            .map(|c| shown(c.path.file_name().map_or(&c.path, Path::new)))
            .collect()
    };
    let mut parts = Vec::new();
    for (action, done, planned) in [
        (Action::AddBlock, "block added to", "block to be added to"),
        (Action::Make, "made", "to be made:"),
        (Action::RemoveBlock, "block taken out of", "block to be taken out of"),
        (Action::Remove, "removed, since nothing else was in it:", "to be removed, since nothing else is in it:"),
    ] {
        let files = named(action);
        if !files.is_empty() {
            parts.push(format!("{} {}", if dry_run { planned } else { done }, files.join(", ")));
        }
    }
    if parts.is_empty() { "startup files stay as they are".to_owned() } else { parts.join("; ") }
}

/// The first of many names.
pub(super) fn some_of(names: &[String]) -> String {
    const MOST: usize = 8;
    let first = names.iter().take(MOST).cloned().collect::<Vec<_>>().join(", ");
    if names.len() > MOST { format!("{first} and {} more", names.len() - MOST) } else { first }
}

/// A path for people.
pub(super) fn shown(path: &Path) -> String {
    escape(&path.to_string_lossy())
}
