//! Trials: what was done, and where it went wrong.

use std::io::{self, Write};

use wagon_yard_core::check::{StepResult, TrialResult};
use wagon_yard_core::jobs::trial::{KeptTrials, Tried};
use wagon_yard_core::process;
use wagon_yard_core::report::Report;

use super::style;
use super::text::{Page, count, escape};

pub fn write(report: &Report<Tried>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    match &**report {
        Tried::Ran { trials, .. } => ran(trials, page, out),
        Tried::Kept(trials) => kept(trials, page, out),
    }
}

fn ran(all: &[TrialResult], page: &Page, out: &mut dyn Write) -> io::Result<()> {
    for trial in all {
        one(trial, page, out)?;
    }
    let passed = all.iter().filter(|trial| trial.passed).count();
    let tool = all.first().map_or_else(String::new, |t| format!("{} {}", t.tool, t.version));
    let trials = count(all.len(), "trial", "trials");
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
    format!("{}{program}", escape(&process::command_line::join(&step.run, page.system())))
}

fn kept(kept: &KeptTrials, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let KeptTrials { dry_run, tool, version, trials } = kept;
    let verb = if *dry_run { "would have" } else { "has" };
    let named = match &trials[..] {
        [] => "no trial".to_owned(),
        trials => {
            let titles: Vec<String> = trials.iter().map(|title| format!("\"{}\"", escape(title))).collect();
            format!("{}: {}", count(trials.len(), "trial", "trials"), titles.join(", "))
        }
    };
    page.labelled(out, "", 0, &format!("{} {verb} {named}", style::STRONG.over(&format!("{tool} {version}"))))?;
    if trials.is_empty() || *dry_run {
        Ok(())
    } else {
        page.labelled(out, "", 0, &format!("To run: wyard trial {tool}@{version}"))
    }
}
