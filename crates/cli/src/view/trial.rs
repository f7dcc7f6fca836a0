//! Trials: what was done, and where it went wrong.

use std::io::{self, Write};

use serde::Serialize;
use wagon_yard_core::check::{StepResult, TrialReport, TrialResult};
use wagon_yard_core::yard::Card;

use super::{Page, count, escape, style};

/// All trials of a tool.
pub fn write(report: &TrialReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    for trial in &report.trials {
        one(trial, page, out)?;
    }
    let passed = report.trials.iter().filter(|trial| trial.passed).count();
    let tool = report.trials.first().map_or_else(String::new, |t| format!("{} {}", t.tool, t.version));
    let trials = count(report.trials.len(), "trial", "trials");
    writeln!(out)?;
    page.labelled(out, "", 0, &format!("{}: {passed} of {trials} passed", style::STRONG.over(&escape(&tool))))
}

fn one(trial: &TrialResult, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let word = if trial.passed { style::GOOD.over("passed") } else { style::BAD.over("failed") };
    page.labelled(out, &word, 8, &style::STRONG.over(&escape(&trial.name)))?;
    for step in &trial.steps {
        let mark = if step.unmet.is_empty() { style::DIM.over("ran") } else { style::BAD.over("here") };
        page.labelled(out, &format!("  {mark}"), 8, &line(step, page))?;
        for unmet in &step.unmet {
            page.labelled(out, "    expected", 13, &escape(&unmet.expected))?;
            page.labelled(out, "    came", 13, &escape(&unmet.came))?;
        }
    }
    match &trial.folder {
        Some(folder) => page.labelled(out, "  kept", 8, &escape(&folder.to_string_lossy())),
        None => Ok(()),
    }
}

/// The command, the file that ran, and how long it took.
fn line(step: &StepResult, page: &Page) -> String {
    let program = step.program.as_ref().map_or_else(String::new, |program| {
        let text = format!("{}, {} ms", page.short(&program.to_string_lossy()), step.milliseconds);
        format!("   {}", style::DIM.over(&text))
    });
    format!("{}{program}", escape(&step.run.join(" ")))
}

/// The trials on a card after a change.
#[derive(Debug, Serialize)]
pub struct Kept<'a> {
    format: u32,
    report: &'static str,
    tool: &'a str,
    version: &'a str,
    trials: Vec<&'a str>,
}

impl<'a> Kept<'a> {
    /// Of this card.
    pub fn of(card: &'a Card) -> Self {
        let trials = card.trials.iter().map(|trial| trial.name.as_str()).collect();
        Self { format: 1, report: "trials", tool: card.name.as_str(), version: card.version.as_str(), trials }
    }
}

/// What the card has now.
pub fn write_kept(kept: &Kept<'_>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let Kept { tool, version, trials, .. } = kept;
    let named = match &trials[..] {
        [] => "no trial".to_owned(),
        trials => {
            let titles: Vec<String> = trials.iter().map(|title| format!("\"{}\"", escape(title))).collect();
            format!("{}: {}", count(trials.len(), "trial", "trials"), titles.join(", "))
        }
    };
    page.labelled(out, "", 0, &format!("{} has {named}", style::STRONG.over(&format!("{tool} {version}"))))?;
    if trials.is_empty() { Ok(()) } else { page.labelled(out, "", 0, &format!("To run: wyard trial {tool}@{version}")) }
}
