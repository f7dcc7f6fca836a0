//! The check of tools, as a table and findings.

use std::io::{self, Write};

use wagon_yard_core::check::{CallerResult, CheckedTools, CommandCheck, RequirementKind, ToolCheck};
use wagon_yard_core::finding::{Finding, Severity};
use wagon_yard_core::process::SealLevel;
use wagon_yard_core::report::{Report, Verdict};

use super::text::{Page, count, escape};
use super::{evidence, style};

pub fn write(report: &Report<CheckedTools>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if report.tools.is_empty() && report.findings.is_empty() {
        return writeln!(out, "The yard has no tools yet. To add one: wyard receive FILE");
    }
    write_tools(&report.tools, page, out)?;
    page.all_findings(out, report)?;
    evidence::write(&report.evidence, page, out)
}

pub(super) fn write_tools(tools: &[ToolCheck], page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if !tools.is_empty() {
        page.labelled(out, "", 0, &all(tools))?;
        writeln!(out)?;
        let folds = tools.len() > FOLDED_FROM;
        let rows = tools.iter().flat_map(|checked| tool_rows(checked, folds, page)).collect();
        page.table(out, &["tool", "command", "runs", "version", "terminals", "verdict"], rows)?;
    }
    let of_tools = tools.iter().map(|checked| (format!("{} {}", checked.name, checked.version), findings(checked)));
    for (tool, findings) in of_tools.filter(|(_, findings)| !findings.is_empty()) {
        writeln!(out)?;
        if tools.len() > 1 {
            writeln!(out, "{}", style::STRONG.over(&escape(&tool)))?;
        }
        page.findings(out, &findings)?;
    }
    Ok(())
}

/// With at least this many tools, a good tool is shown as one line.
const FOLDED_FROM: usize = 4;

fn all(tools: &[ToolCheck]) -> String {
    let commands: Vec<&CommandCheck> = tools.iter().flat_map(|tool| &tool.commands).collect();
    let ran = tools.iter().all(|tool| tool.ran);
    format!(
        "{}, {}: {}, verified in {}{}",
        count(tools.len(), "tool", "tools"),
        count(commands.len(), "command", "commands"),
        how(tools, &commands, ran),
        count(commands.first().map_or(0, |command| command.caller_results.len()), "terminal", "terminals"),
        held(ran, tools),
    )
}

/// How the commands were started, where that is worth a word.
fn held(ran: bool, tools: &[ToolCheck]) -> &'static str {
    match (ran, tools.iter().any(is_unheld)) {
        (false, _) => "; not run",
        (true, true) => "; tried without a seal",
        (true, false) => "",
    }
}

/// Whether a command was started that nothing kept from the machine.
fn is_unheld(checked: &ToolCheck) -> bool {
    checked.commands.iter().any(|command| command.seal == Some(SealLevel::None))
}

fn how(tools: &[ToolCheck], commands: &[&CommandCheck], ran: bool) -> String {
    if tools.iter().all(|tool| tool.verdict.passes()) {
        return style::GOOD.over(if ran { "all good" } else { "all found" });
    }
    let of = |verdict| commands.iter().filter(|command| command.verdict == verdict).count();
    let (errors, unproven) = (of(Verdict::StartedWithError), of(Verdict::NotProven));
    let bad = commands.iter().filter(|command| !command.verdict.passes()).count() - errors - unproven;
    let of_all = |number: usize, what: &str| match commands.len() {
        1 => what.to_owned(),
        all => format!("{number} of {all} commands {what}"),
    };
    let mut words = Vec::new();
    if bad > 0 {
        words.push(style::BAD.over(&of_all(bad, "not good")));
    }
    if errors > 0 {
        words.push(style::CAUTION.over(&of_all(errors, "ended with an error")));
    }
    if unproven > 0 {
        words.push(style::CAUTION.over(&of_all(unproven, "not proven")));
    }
    if words.is_empty() {
        let tools_not_good = tools.iter().filter(|tool| !tool.verdict.passes()).count();
        words.push(style::BAD.over(&format!("{} not good", count(tools_not_good, "tool", "tools"))));
    }
    words.join(", ")
}

/// A row for each command and requirement; one for all where they are well and rows are folded.
fn tool_rows(checked: &ToolCheck, folds: bool, page: &Page) -> Vec<Vec<String>> {
    let name = style::STRONG.over(&escape(&format!("{} {}", checked.name, checked.version)));
    let mut rows: Vec<Vec<String>> = checked.commands.iter().map(|c| row(c, page)).collect();
    rows.extend(requirements(checked, page));
    let is_well = checked.verdict == Verdict::Good && findings(checked).iter().all(|f| f.severity == Severity::Note);
    if folds && is_well && rows.len() > 1 {
        let mut one = rows.swap_remove(0);
        one[0] = count(checked.commands.len(), "command", "commands");
        rows = vec![one];
    }
    let names = std::iter::once(name).chain(std::iter::repeat(String::new()));
    names.zip(rows).map(|(name, row)| [vec![name], row].concat()).collect()
}

fn findings(checked: &ToolCheck) -> Vec<&Finding> {
    checked.commands.iter().flat_map(|c| &c.findings).chain(&checked.findings).collect()
}

fn requirements(checked: &ToolCheck, page: &Page) -> impl Iterator<Item = Vec<String>> {
    checked.requirements.iter().map(|r| {
        // Where all is well its place is of no interest, and long.
        let runs = match &r.is {
            Some(_) if r.verdict == Verdict::Good && r.kind == RequirementKind::Variable => "set".to_owned(),
            Some(_) if r.verdict == Verdict::Good => "found".to_owned(),
            Some(is) => page.short(&is.text()),
            None => "-".to_owned(),
        };
        vec![format!("needs {}", escape(&r.name)), runs, "-".to_owned(), "-".to_owned(), word(r.verdict)]
    })
}

/// The commands in the folders of PATH, folder by folder; of those that are well only the number.
pub fn write_path(report: &Report<CheckedTools>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if report.tools.is_empty() {
        return writeln!(out, "PATH has no commands besides those of the system and the yard.");
    }
    for checked in &report.tools {
        let text = format!("{}: {}", style::STRONG.over(&page.short(&checked.name)), summary(checked));
        page.labelled(out, "", 0, &text)?;
        let (bad, noted): (Vec<_>, Vec<_>) = checked.commands.iter().partition(|c| !c.verdict.passes());
        if !bad.is_empty() {
            let rows = bad.iter().map(|c| row(c, page));
            page.table(out, &HEADING, rows.collect())?;
        }
        let findings: Vec<&Finding> = bad.iter().chain(&noted).flat_map(|c| &c.findings).collect();
        let told: Vec<&Finding> = findings.into_iter().filter(|f| f.severity < Severity::Note).collect();
        page.findings(out, &told)?;
    }
    page.all_findings(out, report)
}

const HEADING: [&str; 5] = ["command", "runs", "version", "terminals", "verdict"];

pub(super) fn tool(checked: &ToolCheck, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let rows = checked.commands.iter().map(|c| row(c, page)).chain(requirements(checked, page));
    page.table(out, &HEADING, rows.collect())?;
    let findings = findings(checked);
    if !findings.is_empty() {
        writeln!(out)?;
        page.findings(out, &findings)?;
    }
    Ok(())
}

/// The last two lines of what brought a tool: how it came out, and the next step.
pub(super) fn outcome(checked: &ToolCheck, change: Option<u64>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    writeln!(out)?;
    let tool = escape(&format!("{} {}", checked.name, checked.version));
    if checked.verdict.passes() {
        // Only what has stated its version has shown that it works.
        let answered = checked.commands.iter().all(|command| command.answered_version.is_some());
        let does = match (checked.ran, answered) {
            (false, _) => "is found",
            (true, true) => "works",
            (true, false) => "runs",
        };
        let unheld = if is_unheld(checked) { " (tried without a seal)" } else { "" };
        page.labelled(out, "", 0, &format!("{tool} {does} in every new terminal{unheld}."))?;
        let first = checked.commands.first().map_or("", |command| command.name.as_str());
        return page.labelled(
            out,
            "",
            0,
            &format!("Open a new terminal, then run: {}", style::STRONG.over(&escape(first))),
        );
    }
    let but = match checked.verdict {
        Verdict::StartedWithError => "every new terminal finds it, but it ends with an error there",
        Verdict::NotProven => "it is not proven that new terminals run it correctly",
        _ => "new terminals do not run it correctly",
    };
    page.labelled(out, "", 0, &format!("{tool} is installed; {but}; see above."))?;
    change.map_or(Ok(()), |id| page.labelled(out, "", 0, &format!("To undo: wyard undo {id}")))
}

/// A command, what runs, its version, its mark for each caller, and the verdict.
fn row(command: &CommandCheck, page: &Page) -> Vec<String> {
    let ours = command.caller_results.iter().any(|r| r.ours) && command.caller_results.iter().all(|r| r.ours);
    let runs = match &command.winner {
        Some(_) if ours => "this one".to_owned(),
        Some(winner) => page.short(&winner.to_string_lossy()),
        None => "-".to_owned(),
    };
    let by_file = if command.version_is_read { " (stated by the file)" } else { "" };
    let version = command.answered_version.as_deref().map_or_else(|| "-".to_owned(), |v| escape(v) + by_file);
    vec![escape(&command.name), runs, version, terminals(command), word(command.verdict)]
}

pub(super) fn summary(checked: &ToolCheck) -> String {
    let fine = checked.commands.iter().filter(|c| c.verdict.passes()).count();
    let asked = checked.commands.first().map_or(0, |c| c.caller_results.len());
    format!(
        "{}: {fine} of {}, verified in {}{}",
        word(checked.verdict),
        count(checked.commands.len(), "command", "commands"),
        count(asked, "terminal", "terminals"),
        held(checked.ran, std::slice::from_ref(checked)),
    )
}

fn word(verdict: Verdict) -> String {
    let style = match verdict {
        Verdict::Good => style::GOOD,
        Verdict::StartedWithError | Verdict::NotProven => style::CAUTION,
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
