//! What `inspect` saw: one screen.

use std::io::{self, Write};

use wagon_yard_core::archive;
use wagon_yard_core::finding::{Code, Finding};
use wagon_yard_core::installer::Installer;
use wagon_yard_core::jobs::inspect::{Inspected, InspectedCommand, InspectedFile};
use wagon_yard_core::report::{Report, ReportPath};

use super::entries::left_out;
use super::stages::{COLUMNS, published};
use super::text::{Page, bytes, count, escape, some_of};
use super::{install, style};

/// Of an archive line by line, then the commands, then what would happen here; of an installer what is known of it.
pub fn write(report: &Report<Inspected>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    match &**report {
        Inspected::File(seen) => file(seen, &report.findings, page, out),
        Inspected::Installer { installer: seen } => installer(seen, page, out),
    }
}

fn file(report: &InspectedFile, findings: &[Finding], page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let mut line = |label: &str, text: &str| page.labelled(out, &style::STRONG.over(label), COLUMNS, text);
    let format = archive::describe_format(report.container, report.compression, report.inner.as_deref());
    line("file", &format!("{}, {}, {}", page.shown(&report.file), escape(&format), bytes(report.bytes)))?;
    match &report.sha256 {
        Some(sha256) => line("checksum", &published(sha256, &report.published))?,
        None => line("checksum", "not computed for large files; use --whole")?,
    }
    let amount = format!("{}, {} unpacked", count(report.files, "file", "files"), bytes(report.unpacked_bytes));
    let wrapper = match report.wrapper.as_os_str().is_empty() {
        true => "no wrapper folder".to_owned(),
        false => format!("wrapper folder {}", page.shown(&report.wrapper)),
    };
    line("holds", &format!("{amount}; {wrapper}"))?;
    for text in tree(report) {
        line("", &text)?;
    }
    line("tool", &suggested(report))?;
    for (label, paths) in
        [("settings", &report.sample_settings), ("read", &report.documents), ("installer", &report.installers)]
    {
        if !paths.is_empty() {
            line(label, &named(paths))?;
        }
    }
    if !report.commands.is_empty() {
        writeln!(out)?;
        let rows = report.commands.iter().map(|one| command(one, page)).collect();
        page.table(out, &["command", "program", "runs here", "would happen"], rows)?;
        for (why, names) in reasons(&report.commands) {
            writeln!(out)?;
            page.labelled(
                out,
                &style::STRONG.over("runs here"),
                COLUMNS,
                &format!("{}: {}", some_of(&names), escape(why)),
            )?;
        }
    }
    left_out(&report.hazards, page, out)?;
    let findings: Vec<&Finding> = findings.iter().filter(|f| f.code != Code::NotCompared).collect();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    Ok(())
}

/// A line for each folder of the first level with what is in it, and one for the files.
fn tree(report: &InspectedFile) -> Vec<String> {
    const MOST: usize = 8;
    let depth = |name: &str| name.trim_end_matches('/').split('/').count();
    let top: Vec<&str> = report.tree.iter().map(|(name, _)| name.as_str()).filter(|name| depth(name) == 1).collect();
    let (folders, files): (Vec<&str>, Vec<&str>) = top.into_iter().partition(|name| name.ends_with('/'));
    let mut lines: Vec<String> = Vec::new();
    for folder in folders.iter().take(MOST) {
        let inside =
            report.tree.iter().filter_map(|(name, _)| name.strip_prefix(folder)).filter(|rest| !rest.is_empty());
        lines.push(format!(
            "{} {}",
            escape(folder),
            style::DIM.over(&some_of(&inside.map(escape).collect::<Vec<_>>()))
        ));
    }
    if folders.len() > MOST {
        lines.push(format!("and {} more folders", folders.len() - MOST));
    }
    if !files.is_empty() {
        lines.push(some_of(&files.into_iter().map(escape).collect::<Vec<_>>()));
    }
    lines
}

fn suggested(report: &InspectedFile) -> String {
    let suggested = &report.suggested;
    let or_unknown = |text: &Option<String>, what: &str| match text {
        Some(text) => style::STRONG.over(&escape(text)),
        None => style::CAUTION.over(&format!("no {what} in the name")),
    };
    let meant = [suggested.os, suggested.arch].into_iter().flatten().collect::<Vec<_>>().join(" ");
    let meant = if meant.is_empty() { meant } else { format!(" for {meant}") };
    let variable = suggested.home_variable.as_ref().map(|v| format!("; {v} would be set")).unwrap_or_default();
    let held = match &report.held[..] {
        [] => String::new(),
        held => format!("; the yard has {}", held.join(", ")),
    };
    let (name, version) = (or_unknown(&suggested.name, "name"), or_unknown(&suggested.version, "version"));
    format!("{name} {version}{meant}{variable}{held}")
}

fn named(paths: &[ReportPath]) -> String {
    some_of(&paths.iter().map(|path| escape(&path.text())).collect::<Vec<_>>())
}

fn command(command: &InspectedCommand, page: &Page) -> Vec<String> {
    let kind = format!("{:?}", command.program).to_lowercase();
    let built = [command.os.as_deref(), command.arch.as_deref()].into_iter().flatten().collect::<Vec<_>>().join(" ");
    let program = if built.is_empty() { kind } else { format!("{kind}, {built}") };
    let runs = match (&command.hindrance, &command.unknown) {
        (Some(_), _) => style::BAD.over("no"),
        (None, Some(_)) => style::CAUTION.over("unknown"),
        (None, None) if command.is_translated => style::GOOD.over("yes, translated"),
        (None, None) => style::GOOD.over("yes"),
    };
    let version = command.here_version.as_ref().map(|version| format!(" ({})", escape(version))).unwrap_or_default();
    let happens = match (&command.here[..], command.stays_hidden) {
        ([], false) => "new here".to_owned(),
        ([], true) => style::CAUTION.over("hidden by a shell builtin or alias"),
        ([first, ..], true) => style::CAUTION.over(&format!("{}{version} would still run", page.shown(first))),
        ([first, ..], false) => format!("comes before {}{version}", page.shown(first)),
    };
    vec![escape(&command.name), program, runs, happens]
}

/// Why commands can't run here, or may not, each reason with the commands it holds for.
fn reasons(commands: &[InspectedCommand]) -> Vec<(&str, Vec<String>)> {
    let mut reasons: Vec<(&str, Vec<String>)> = Vec::new();
    for command in commands {
        let Some(why) = command.hindrance.as_deref().or(command.unknown.as_deref()) else { continue };
        match reasons.iter_mut().find(|(known, _)| *known == why) {
            Some((_, names)) => names.push(escape(&command.name)),
            None => reasons.push((why, vec![escape(&command.name)])),
        }
    }
    reasons
}

fn installer(installer: &Installer, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    install::facts(installer, page, out)?;
    if !installer.kind.runs_on(page.system()) {
        page.labelled(out, &style::STRONG.over("runs here"), COLUMNS, &style::BAD.over("no: for another system"))?;
    }
    if let Some(option) = &installer.folder_option {
        let text = format!("--installer-folder DIR is passed on as {}", escape(option));
        page.labelled(out, &style::STRONG.over("folder"), COLUMNS, &text)?;
    }
    Ok(())
}
