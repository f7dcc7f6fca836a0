//! Installers: what would be run, and what it did.

use std::io::{self, Write};

use wagon_yard_core::finding::Finding;
use wagon_yard_core::installer::{AddedEntry, EntryPlace, InstallPlan, Installer, InstallerKind, PlannedPlace};
use wagon_yard_core::jobs::receive::{InstalledTool, LeftUndone};

use super::stages::COLUMNS;
use super::text::{Page, command_line, count, escape, some_of};
use super::{adopt, style};

/// At most this many lines of a kind are told.
const MOST: usize = 8;

pub fn facts(installer: &Installer, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let label = |text: &str| style::STRONG.over(text);
    let mut words = vec![installer.kind.describe().to_owned()];
    words.extend(installer.product.iter().map(|product| escape(product)));
    words.extend(installer.version.iter().map(|version| escape(version)));
    words.extend(installer.arch.iter().map(|arch| format!("for {}", escape(arch))));
    words.extend(installer.for_everybody.map(|all| if all { "for everybody" } else { "for you" }.to_owned()));
    page.labelled(out, &label("installer"), COLUMNS, &words.join(", "))?;
    if let Some(inside) = &installer.inside {
        let at = installer.inside_at.map_or_else(String::new, |at| format!(", from byte {at} on"));
        page.labelled(out, &label("inside"), COLUMNS, &format!("{}{at}", escape(inside)))?;
    }
    if installer.files.is_empty() && !installer.commands.is_empty() {
        let names: Vec<String> = installer.commands.iter().map(|name| escape(name)).collect();
        let text = format!("{}: {}", count(names.len(), "command", "commands"), some_of(&names));
        page.labelled(out, &label("brings"), COLUMNS, &text)?;
    }
    if !installer.files.is_empty() {
        let names: Vec<String> = installer.commands.iter().map(|name| escape(name)).collect();
        let commands = count(names.len(), "command", "commands");
        let text = format!("{}, {commands}: {}", count(installer.files.len(), "file", "files"), some_of(&names));
        page.labelled(out, &label("brings"), COLUMNS, &text)?;
        for file in installer.files.iter().take(MOST) {
            page.labelled(out, "", COLUMNS, &escape(file))?;
        }
    }
    for here in &installer.here {
        let version = here.version.as_deref().map_or_else(String::new, |version| format!(" {}", escape(version)));
        let text = format!("{}{version}: {}", escape(&here.command), page.short(&here.path.to_string_lossy()));
        page.labelled(out, &label("here now"), COLUMNS, &text)?;
    }
    for variable in &installer.variables {
        let place = match variable.place {
            PlannedPlace::InPlace => "set to",
            PlannedPlace::First => "gets, first,",
            PlannedPlace::Last => "gets, last,",
        };
        let text =
            format!("{} of the {} environment {place} {}", variable.name, variable.scope.as_str(), variable.value);
        page.labelled(out, &label("changes"), COLUMNS, &escape(&text))?;
    }
    if !installer.off_by_default.is_empty() {
        let names: Vec<String> = installer.off_by_default.iter().map(|name| escape(name)).collect();
        page.labelled(out, &label("left out"), COLUMNS, &format!("unless selected: {}", some_of(&names)))?;
    }
    let of_path = |name: &str| name.eq_ignore_ascii_case("PATH");
    let says_all = installer.kind == InstallerKind::WindowsPackage && !installer.commands.is_empty();
    if says_all && !installer.variables.iter().any(|variable| of_path(&variable.name)) {
        let text = "no PATH change; its command folder is registered afterwards";
        page.labelled(out, &label("changes"), COLUMNS, text)?;
    }
    let findings: Vec<&Finding> = installer.findings.iter().collect();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    Ok(())
}

pub fn write_plan(plan: &InstallPlan, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let label = |text: &str| style::STRONG.over(text);
    facts(&plan.installer, page, out)?;
    let compared = if plan.compared { style::GOOD.over("as published") } else { style::CAUTION.over("not compared") };
    page.labelled(out, &label("checksum"), COLUMNS, &format!("SHA-256 {compared} {}", plan.sha256))?;
    page.labelled(out, &label("runs"), COLUMNS, &command_line(&plan.command, page))?;
    page.labelled(out, "", COLUMNS, &style::DIM.over(&format!("log: {}", page.short(&plan.log.to_string_lossy()))))
}

pub fn write(report: &InstalledTool, findings: &[Finding], page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let label = |text: &str| style::STRONG.over(text);
    let ended = if report.well { style::GOOD } else { style::BAD }.over(&escape(&report.ended));
    page.labelled(out, &label("ended"), COLUMNS, &ended)?;
    let seen = &report.seen;
    let files = count(seen.files_added, "new file", "new files");
    let folders: Vec<String> = seen.folders.iter().map(|folder| page.short(&folder.to_string_lossy())).collect();
    let places = if folders.is_empty() { String::new() } else { format!(" in {}", some_of(&folders)) };
    let mut made = format!("{files}{places}");
    if !seen.single_files.is_empty() {
        made.push_str(&format!("; {} of them in existing folders", seen.single_files.len()));
    }
    if !seen.files_changed.is_empty() {
        made.push_str(&format!("; {}", count(seen.files_changed.len(), "file changed", "files changed")));
    }
    page.labelled(out, &label("made"), COLUMNS, &made)?;
    for file in seen.single_files.iter().chain(&seen.files_changed).take(MOST) {
        page.labelled(out, "", COLUMNS, &page.short(&file.to_string_lossy()))?;
    }
    for file in &seen.startup_files {
        page.labelled(out, &label("startup"), COLUMNS, &page.short(&file.path.to_string_lossy()))?;
        for (sign, line) in file.added.iter().map(|l| ("+", l)).chain(file.removed.iter().map(|l| ("-", l))) {
            page.labelled(out, "", COLUMNS, &format!("{sign} {}", escape(line)))?;
        }
    }
    for value in &seen.values {
        let told = |entry: &AddedEntry| format!("{} ({})", entry.raw, entry_place(entry.place));
        let got = (!value.entries.is_empty()).then(|| value.entries.iter().map(told).collect::<Vec<_>>().join(", "));
        let lost = (!value.lost.is_empty()).then(|| value.lost.join(", "));
        let what = match (got, lost, &value.after) {
            (Some(got), Some(lost), _) => format!("added {got}, removed {lost}"),
            (Some(got), None, _) => format!("got {got}"),
            (None, Some(lost), _) => format!("lost {lost}"),
            (None, None, Some(after)) => format!("is now {after}"),
            (None, None, None) => "is gone".to_owned(),
        };
        let text = format!("{} of the {} environment {what}", value.name, value.scope.as_str());
        page.labelled(out, &label("registry"), COLUMNS, &escape(&text))?;
    }
    for record in &seen.installed {
        let text = format!("{} {}; to remove it: {}", record.name, record.version, record.command);
        page.labelled(out, &label("on record"), COLUMNS, &escape(&text))?;
    }
    if let Some(undone) = report.left_undone {
        let folders = report.adopted.as_ref().map_or(1, |adopted| adopted.command_folders.len());
        page.labelled(out, &label("not done"), COLUMNS, &not_done(undone, folders))?;
    }
    let findings: Vec<&Finding> = findings.iter().collect();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    if let Some(adopted) = &report.adopted {
        writeln!(out)?;
        adopt::write(adopted, page, out)?;
    }
    if report.taken_back {
        writeln!(out)?;
        page.labelled(out, "", 0, "PATH, variables and startup files were restored; its files remain.")?;
    }
    Ok(())
}

fn entry_place(place: EntryPlace) -> &'static str {
    match place {
        EntryPlace::First => "first",
        EntryPlace::Last => "last",
        EntryPlace::Between => "between",
    }
}

fn not_done(undone: LeftUndone, folders: usize) -> String {
    let folder = if folders == 1 { "its command folder" } else { "its command folders" };
    match undone {
        LeftUndone::NotInEveryTerminal => format!("its changes do not add {folder} to every new terminal"),
        LeftUndone::NotRegistered => format!("it did not add {folder} to PATH"),
    }
}
