//! What a self-test found.

use std::io::{self, Write};
use std::path::Path;

use wagon_yard_core::jobs::selftest::SelfTest;
use wagon_yard_core::judges::Disagreement;
use wagon_yard_core::report::Report;

use super::style;
use super::text::{Page, count, escape};

const LABELS: usize = 9;

/// At most this many of a caller's disagreements are shown; all that are known are in the report's file.
const SHOWN: usize = 3;

/// A table of who looked names up, a line for each of the other tests, and what failed.
pub fn write(report: &Report<SelfTest>, into: Option<&Path>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let system = report.machine.system_name.as_deref().unwrap_or(&report.machine.system);
    let wine = if report.is_wine { ", under Wine" } else { "" };
    let told = format!("wyard {} on {system}, {}{wine}", report.program, report.machine.processor);
    page.labelled(out, "tested", LABELS, &escape(&told))?;
    page.labelled(out, "sealing", LABELS, report.seal)?;
    writeln!(out)?;
    let rows = report.lookups.iter().map(|judged| {
        let wrong =
            judged.no_answer.as_ref().map_or_else(|| judged.wrong.to_string(), |why| format!("no answer: {why}"));
        let mark = mark(judged.held(), judged.failed());
        vec![judged.caller.name().to_owned(), judged.compared.to_string(), escape(&wrong), mark]
    });
    page.table(out, &["looked up by", "compared", "disagreed", ""], rows.collect())?;
    for (caller, one) in report.lookups.iter().flat_map(|j| j.disagreements.iter().take(SHOWN).map(|d| (j.caller, d))) {
        disagreement(caller.name(), one, page, out)?;
    }
    writeln!(out)?;
    for step in &report.steps {
        let mark = mark(step.held(), step.failed());
        page.labelled(out, &mark, LABELS, &format!("{} ({})", step.title, count(step.times, "time", "times")))?;
        for wrong in &step.wrong {
            page.labelled(out, "", LABELS, &escape(wrong))?;
        }
    }
    writeln!(out)?;
    let end = if report.held() {
        format!("Everything passed, in {}.", count(seconds(report.seconds), "second", "seconds"))
    } else if report.failed() {
        "Some of it failed: please send the report to the makers of wyard.".to_owned()
    } else {
        format!("Some of it was not run: time was up after {}.", count(seconds(report.seconds), "second", "seconds"))
    };
    page.labelled(out, "", 0, &end)?;
    if report.ran_out_of_time() {
        page.labelled(out, "next:", LABELS, "run it again on an idle machine, or allow it more time with --minutes")?;
    }
    match into {
        Some(file) => page.labelled(out, "report", LABELS, &page.shown(file)),
        None => page.labelled(out, "next:", LABELS, "to keep the report: wyard selftest --into selftest.json"),
    }
}

fn mark(held: bool, failed: bool) -> String {
    match (held, failed) {
        (true, _) => style::GOOD.over("passed"),
        (_, true) => style::BAD.over("failed"),
        _ => "not run".to_owned(),
    }
}

fn seconds(number: u64) -> usize {
    usize::try_from(number).unwrap_or(usize::MAX)
}

fn disagreement(caller: &str, one: &Disagreement, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let text = format!(
        "{caller} {} {:?} with PATH={:?}: really {}, predicted {} (seed {})",
        one.of, one.name, one.path, one.theirs, one.ours, one.seed
    );
    page.labelled(out, "", LABELS, &escape(&text))
}
