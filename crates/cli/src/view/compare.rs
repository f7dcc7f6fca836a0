//! How machines differ.

use std::io::{self, Write};

use wagon_yard_core::jobs::compare::{Compared, Fleet};
use wagon_yard_core::report::Report;
use wagon_yard_core::snapshot::{CommandDifference, CompareWhy, Difference, Meant};

use super::style;
use super::text::{Page, count, escape, some_of};

const COLUMNS: usize = 12;

/// At most this many commands that differ in a fleet are shown; JSON has all.
const MOST_COMMANDS: usize = 20;

/// At most this many irrelevant differences are listed.
const MOST: usize = 8;

pub fn write(report: &Report<Compared>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    match &**report {
        Compared::Two(difference) => two(difference, page, out),
        Compared::Many(fleet) => many(fleet, page, out),
    }
}

fn two(report: &Difference, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let names: Vec<String> = report.machines.iter().map(|name| escape(name)).collect();
    let matter: Vec<&CommandDifference> = report.commands.iter().filter(|command| command.matters).collect();
    let verdict = match matter.len() {
        0 => style::GOOD.over("no difference that matters"),
        number => style::BAD.over(&count(number, "command differs", "commands differ")),
    };
    page.labelled(out, "", 0, &format!("{}: {verdict}; {} the same", names.join(" and "), report.same))?;
    let (only, changed): (Vec<&CommandDifference>, Vec<&CommandDifference>) =
        matter.iter().copied().partition(|command| command.why == CompareWhy::OnOneOnly);
    for command in changed {
        writeln!(out)?;
        page.labelled(out, "", 2, &format!("{}: {}", style::STRONG.over(&escape(&command.name)), why(command.why)))?;
        for (machine, means) in names.iter().zip(&command.means) {
            page.labelled(out, &format!("  {machine}"), COLUMNS, &meant(means.as_ref()))?;
        }
    }
    let others = [
        ("same content in another folder", CompareWhy::SameContent),
        ("in another folder", CompareWhy::OtherPlace),
        ("on one machine only", CompareWhy::OnOneOnly),
    ];
    let mut begun = false;
    let mut line = |label: &str, text: &str, out: &mut dyn Write| {
        if !std::mem::replace(&mut begun, true) {
            writeln!(out)?;
        }
        page.labelled(out, "", 2, &format!("{}: {text}", style::STRONG.over(label)))
    };
    for (at, name) in names.iter().enumerate() {
        let here: Vec<String> =
            only.iter().filter(|command| command.means[at].is_some()).map(|command| escape(&command.name)).collect();
        if !here.is_empty() {
            line(&style::BAD.over(&format!("only on {name}")), &here.join(", "), out)?;
        }
    }
    for tool in &report.tools {
        let versions: Vec<String> =
            names.iter().zip(&tool.versions).map(|(name, version)| on(name, version.as_deref())).collect();
        line(&format!("tool {}", escape(&tool.name)), &versions.join(", "), out)?;
    }
    for variable in &report.variables {
        let values: Vec<String> =
            names.iter().zip(&variable.values).map(|(name, value)| on(name, value.as_deref())).collect();
        line(&escape(&variable.name), &values.join(", "), out)?;
    }
    for name in &report.machines {
        let only: Vec<String> =
            report.entries.iter().filter(|entry| entry.only_on == *name).map(|entry| escape(&entry.entry)).collect();
        if !only.is_empty() {
            line(&format!("only in PATH of {}", escape(name)), &some_of(&only), out)?;
        }
    }
    if report.other_order {
        line("PATH", "shared entries are in a different order", out)?;
    }
    for (label, reason) in others {
        let names: Vec<&CommandDifference> =
            report.commands.iter().filter(|command| !command.matters && command.why == reason).collect();
        if !names.is_empty() {
            let first: Vec<String> = names.iter().take(MOST).map(|command| escape(&command.name)).collect();
            let more = if names.len() > MOST { ", ..." } else { "" };
            line(&format!("{label} ({})", names.len()), &format!("{}{more}", first.join(", ")), out)?;
        }
    }
    Ok(())
}

pub fn why(why: CompareWhy) -> &'static str {
    match why {
        CompareWhy::OtherVersion => "different version",
        CompareWhy::OtherContent => "different file",
        CompareWhy::OnOneOnly => "on one machine only",
        CompareWhy::OtherPlace => "in another folder",
        CompareWhy::SameContent => "in another folder, with the same content",
    }
}

fn on(name: &str, value: Option<&str>) -> String {
    value.map_or_else(|| format!("not on {name}"), |value| format!("{} on {name}", escape(value)))
}

fn meant(means: Option<&Meant>) -> String {
    let Some(means) = means else { return style::CAUTION.over("not found") };
    let version = means.version.as_ref().map(|version| format!("{}, ", escape(version))).unwrap_or_default();
    let by = means.put_by.as_ref().map(|by| format!(", by {}", escape(by))).unwrap_or_default();
    format!("{version}{}{by}", escape(&means.path))
}

fn many(fleet: &Fleet, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let agree = format!("{} of {} agree with {}", fleet.agree, fleet.machines, escape(&fleet.base));
    let agree = if fleet.agree == fleet.machines { style::GOOD.over(&agree) } else { style::BAD.over(&agree) };
    page.labelled(out, "", 0, &agree)?;
    for command in fleet.commands.iter().take(MOST_COMMANDS) {
        writeln!(out)?;
        let base = format!("{} of {}: {}", command.agree, fleet.machines, meant(command.base.as_ref()));
        page.labelled(out, "", 2, &format!("{}: {base}", style::STRONG.over(&escape(&command.name))))?;
        for other in &command.others {
            let machines: Vec<String> = other.machines.iter().map(|machine| escape(machine)).collect();
            let means = match other.means == command.base {
                // Nothing else tells them apart.
                true => "a different file".to_owned(),
                false => meant(other.means.as_ref()),
            };
            page.labelled(out, "", 4, &format!("{}: {means}", some_of(&machines)))?;
        }
    }
    if fleet.commands.len() > MOST_COMMANDS {
        let more = count(fleet.commands.len() - MOST_COMMANDS, "more command differs", "more commands differ");
        writeln!(out)?;
        page.labelled(out, "", 2, &style::DIM.over(&format!("{more}; --json has all")))?;
    }
    for unread in &fleet.unread {
        page.labelled(out, &style::CAUTION.over("caution"), COLUMNS, &escape(unread))?;
    }
    Ok(())
}
