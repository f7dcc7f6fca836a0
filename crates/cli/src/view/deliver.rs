//! A delivery: a line for each tool, then the check of all.

use std::io::{self, Write};

use wagon_yard_core::jobs::deliver::{DeliveredTool, Delivery, DeliveryState, DeliveryStep};
use wagon_yard_core::report::Report;

use super::text::{Page, count, escape};
use super::{check, prepared, style};

const COLUMNS: usize = 11;

pub fn write(report: &Report<Delivery>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let number = count(report.tools.len(), "tool", "tools");
    let machine = report.system.as_ref().map(|system| format!(" on {system}")).unwrap_or_default();
    let text = format!("{}{machine}: {number}, {}", page.shown(&report.waybill), summary(report));
    page.labelled(out, "", 0, &text)?;
    if report.tools.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    for tool in &report.tools {
        let (word, colour) = word(tool, report.verify);
        let name = style::STRONG.over(&escape(&format!("{} {}", tool.name, tool.version)));
        let steps: Vec<String> = tool.steps.iter().map(|step| describe_step(*step, tool, page)).collect();
        let text = match (&tool.why, steps.is_empty()) {
            (Some(why), _) => format!("{name}: {}", page.short_in(why)),
            (None, true) => name,
            (None, false) => format!("{name}: {}", steps.join(", ")),
        };
        page.labelled(out, &format!("  {}", colour.over(word)), COLUMNS, &text)?;
        if report.dry_run || report.verify {
            prepared::diffs(&tool.prepared, COLUMNS, page, out)?;
        } else if tool.state == DeliveryState::Done && !tool.prepared.is_empty() {
            page.labelled(out, "", COLUMNS, &prepared::all_words(&tool.prepared))?;
        }
    }
    if !report.checks.is_empty() {
        writeln!(out)?;
        check::write_tools(&report.checks, page, out)?;
    }
    page.all_findings(out, report)?;
    if let Some(change) = report.change {
        writeln!(out, "\n{}", style::DIM.over(&format!("to undo all of it: wyard undo {change}")))?;
    }
    if report.dry_run {
        writeln!(out, "\nDry run: nothing was changed.")?;
    }
    Ok(())
}

fn summary(report: &Report<Delivery>) -> String {
    let number = |wanted: DeliveryState| report.tools.iter().filter(|tool| tool.state == wanted).count();
    let (failed, skipped) = (number(DeliveryState::Failed), number(DeliveryState::Skipped));
    let (planned, done) = (number(DeliveryState::Planned), number(DeliveryState::Done));
    let mut words = Vec::new();
    for (number, what) in [(failed, "failed"), (skipped, "skipped")] {
        if number > 0 {
            words.push(style::BAD.over(&format!("{number} {what}")));
        }
    }
    if planned > 0 {
        words.push(if report.verify {
            style::BAD.over(&format!("{planned} not as listed"))
        } else {
            format!("{planned} to do")
        });
    }
    if done > 0 {
        words.push(style::GOOD.over(&format!("{done} delivered")));
    }
    match (words.is_empty(), report.verify) {
        (true, false) => style::GOOD.over("nothing to do"),
        (true, true) => style::GOOD.over("all as listed"),
        (false, _) => words.join(", "),
    }
}

fn word(tool: &DeliveredTool, verify: bool) -> (&'static str, style::Style) {
    match tool.state {
        DeliveryState::Here => ("here", style::GOOD),
        DeliveryState::Planned if verify => ("differs", style::BAD),
        DeliveryState::Planned => ("to do", style::CAUTION),
        DeliveryState::Done => ("done", style::GOOD),
        DeliveryState::Failed => ("failed", style::BAD),
        DeliveryState::Skipped => ("skipped", style::CAUTION),
    }
}

fn describe_step(step: DeliveryStep, tool: &DeliveredTool, page: &Page) -> String {
    let from = || page.short(tool.source.as_deref().unwrap_or_default());
    match step {
        DeliveryStep::Receive => format!("receive {}", from()),
        DeliveryStep::Replace => format!("replace by {}", from()),
        DeliveryStep::Adopt => format!("adopt {}", from()),
        DeliveryStep::Switch => "switch to this version".to_owned(),
        DeliveryStep::Register => "register".to_owned(),
        DeliveryStep::Prepare => "prepare".to_owned(),
        DeliveryStep::Retire => "retire; it is not in the waybill".to_owned(),
        DeliveryStep::Record => "update its card".to_owned(),
    }
}
