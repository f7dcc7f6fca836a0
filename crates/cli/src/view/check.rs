//! The check of tools, as a table and findings.

use std::io::{self, Write};

use wagon_yard_core::check::{CallerResult, CheckReport, CommandCheck, ToolCheck, Verdict};
use wagon_yard_core::finding::Finding;

use super::{Page, count, escape, style};

/// All tools.
pub fn write(report: &CheckReport, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if report.tools.is_empty() {
        return writeln!(out, "The yard holds no tool yet: 'wyard receive FILE' brings one.");
    }
    for (i, checked) in report.tools.iter().enumerate() {
        if i > 0 {
            writeln!(out)?;
        }
        let name = format!("{} {}", checked.name, checked.version);
        page.labelled(out, "", 0, &format!("{}: {}", style::STRONG.over(&name), summary(checked)))?;
        writeln!(out)?;
        tool(checked, page, out)?;
    }
    Ok(())
}

/// The table and the findings of one tool.
pub(super) fn tool(checked: &ToolCheck, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let rows = checked.commands.iter().map(|c| {
        vec![
            escape(&c.name),
            word(c.verdict),
            c.answered_version.as_deref().map_or_else(|| "-".to_owned(), escape),
            terminals(c),
        ]
    });
    page.table(out, &["command", "verdict", "version", "runs in new"], rows.collect())?;
    let findings: Vec<&Finding> = checked.commands.iter().flat_map(|c| &c.findings).chain(&checked.findings).collect();
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    Ok(())
}

/// The verdict on a tool, in one line.
pub(super) fn summary(checked: &ToolCheck) -> String {
    let fine = checked.commands.iter().filter(|c| c.verdict.passes()).count();
    let asked = checked.commands.first().map_or(0, |c| c.caller_results.len());
    format!(
        "{}, {fine} of {}, asked in {}",
        word(checked.verdict),
        count(checked.commands.len(), "command", "commands"),
        count(asked, "new terminal", "new terminals"),
    )
}

fn word(verdict: Verdict) -> String {
    let style = match verdict {
        Verdict::Good => style::GOOD,
        Verdict::StartedWithError => style::CAUTION,
        Verdict::WrongVersion | Verdict::Shadowed | Verdict::DoesNotStart | Verdict::NotFound => style::BAD,
    };
    style.over(verdict.as_str())
}

/// Shell by shell, in how many of its new terminals ours runs: the bare name when in all, with a count otherwise.
fn terminals(command: &CommandCheck) -> String {
    let mut words = Vec::new();
    for results in command.caller_results.chunk_by(|a, b| a.caller == b.caller) {
        let name = results[0].caller.name();
        let ours = results.iter().filter(|r: &&CallerResult| r.ours).count();
        if ours == results.len() {
            words.push(name.to_owned());
        } else {
            words.push(style::BAD.over(&format!("{name} {ours}/{}", results.len())));
        }
    }
    words.join(" ")
}
