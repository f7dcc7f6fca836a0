//! Folders that were in place already.

use std::io::{self, Write};

use wagon_yard_core::finding::Finding;
use wagon_yard_core::jobs::adopt::{AdoptedFolder, FoundTools};
use wagon_yard_core::naming::Variable;
use wagon_yard_core::report::Report;
use wagon_yard_core::suggestion::suggested_line;

use super::stages::COLUMNS;
use super::stores::{goes_where, stores};
use super::text::{Page, count, escape, some_of};
use super::{check, style};

pub fn write(report: &Report<AdoptedFolder>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let label = |text: &str| style::STRONG.over(text);
    let names: Vec<String> = report.commands.iter().map(|command| escape(&command.name)).collect();
    let folders: Vec<String> = report.command_folders.iter().map(|folder| page.shown(folder)).collect();
    let (name, version) = (label(&report.name), label(&escape(&report.version)));
    let commands = count(names.len(), "command", "commands");
    let text = format!("{name} {version}; {commands} in {}: {}", folders.join(" and "), some_of(&names));
    page.labelled(out, &label("layout"), COLUMNS, &text)?;
    let would = if report.dry_run { "would be " } else { "" };
    let place = if report.moved { format!("{would}moved to") } else { "stays in".to_owned() };
    let renewed = report.renewed.as_deref().map_or_else(String::new, |version| match version == report.version {
        true => "; already on record".to_owned(),
        false => format!("; replaces {} on record", escape(version)),
    });
    page.labelled(out, &label("adopt"), COLUMNS, &format!("{place} {}{renewed}", page.shown(&report.home)))?;
    let text = if report.was_registered {
        "already registered; no changes".to_owned()
    } else {
        let variables: Vec<&str> = report.home_variables.iter().map(Variable::as_str).collect();
        let set = if variables.is_empty() { String::new() } else { format!(", {} set", variables.join(" and ")) };
        let folders = count(report.command_folders.len(), "command folder", "command folders");
        let stores = stores(&report.stores, report.dry_run, page);
        format!("{folders} {would}{}{set}; {stores}", goes_where(report.scope, page))
    };
    page.labelled(out, &label("register"), COLUMNS, &text)?;
    if let Some(checked) = &report.check {
        page.labelled(out, &label("check"), COLUMNS, &check::summary(checked))?;
    }
    let findings: Vec<&Finding> = report.findings.iter().collect();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    if let Some(checked) = &report.check {
        writeln!(out)?;
        check::tool(checked, page, out)?;
        check::outcome(checked, report.change, page, out)?;
    }
    if report.dry_run {
        writeln!(out, "\nDry run: nothing was changed.")?;
    }
    Ok(())
}

pub fn write_search(report: &Report<FoundTools>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if report.found.is_empty() {
        writeln!(out, "No other tools found.")?;
    }
    for tool in &report.found {
        let name = match (&tool.name, &tool.version) {
            (Some(name), Some(version)) => format!("{name} {version}"),
            (Some(name), None) => name.clone(),
            _ => "unnamed".to_owned(),
        };
        let names: Vec<String> = tool.commands.iter().map(|command| escape(command)).collect();
        let place = if tool.in_path { ", in PATH" } else { "" };
        let commands = count(names.len(), "command", "commands");
        let text = format!("{commands}{place}: {}", some_of(&names));
        page.labelled(out, "", 0, &format!("{}   {text}", style::STRONG.over(&escape(&name))))?;
        page.labelled(
            out,
            "",
            2,
            &style::DIM.over(&escape(&suggested_line(page.system(), "adopt {}", &[&*tool.folder]))),
        )?;
    }
    let places: Vec<String> = report.places.iter().map(|place| page.short(&place.to_string_lossy())).collect();
    page.labelled(out, "", 0, &style::DIM.over(&format!("searched PATH and {}", places.join(", "))))
}
