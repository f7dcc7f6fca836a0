//! The survey: what needs doing, then PATH entry by entry.

use std::io::{self, Write};

use wagon_yard_core::finding::{Code, Finding, Severity};
use wagon_yard_core::report::Report;
use wagon_yard_core::scope::Scope;
use wagon_yard_core::shells::TerminalKind;
use wagon_yard_core::survey::{EntrySurvey, SurveyedPath, all_findings};

use super::style;
use super::text::{Page, count, severity};

/// At most this many findings of one kind are told, unless all are asked for.
const MOST_OF_A_KIND: usize = 5;

/// First the verdict in a line, then the findings, worst first, then the entries.
pub fn write(report: &Report<SurveyedPath>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let entries: Vec<&EntrySurvey> = report.scopes.iter().flat_map(|scope| &scope.entries).collect();
    let commands: usize = entries.iter().map(|entry| entry.commands).sum();
    let whose = match report.terminal {
        TerminalKind::New => "a new terminal",
        TerminalKind::This => "this terminal",
    };
    let (entry_count, command_count) =
        (count(entries.len(), "entry", "entries"), count(commands, "command", "commands"));
    let title = format!("PATH of {whose}: {entry_count}, {command_count}, {}", summary(report));
    page.labelled(out, "", 0, &title)?;
    let mut told: Vec<&Finding> = all_findings(report).collect();
    // Said in the table already, with nothing to add.
    told.retain(|finding| !matches!(finding.code, Code::EntryWithoutCommands | Code::DuplicateEntry));
    let mut left: Vec<(Code, usize)> = Vec::new();
    told.retain(|finding| {
        let at = left.iter().position(|(code, _)| *code == finding.code).unwrap_or_else(|| {
            left.push((finding.code, 0));
            left.len() - 1
        });
        left[at].1 += 1;
        page.whole || left[at].1 <= MOST_OF_A_KIND
    });
    if !told.is_empty() {
        writeln!(out)?;
        page.findings_with_why(out, &told)?;
    }
    left.retain(|(_, number)| !page.whole && *number > MOST_OF_A_KIND);
    if !left.is_empty() {
        let more: Vec<String> =
            left.iter().map(|(code, number)| format!("{} more {}", number - MOST_OF_A_KIND, code.as_str())).collect();
        writeln!(out)?;
        page.labelled(out, "  ", 2, &style::DIM.over(&format!("and {}; --all lists them", more.join(", "))))?;
    }
    for scope in &report.scopes {
        writeln!(out)?;
        if report.scopes.len() > 1 || scope.scope == Scope::System {
            let name = if scope.scope == Scope::System { "the system's" } else { "the user's" };
            writeln!(out, "  {}", style::DIM.over(name))?;
        }
        let rows = scope.entries.iter().enumerate().map(|(at, entry)| {
            vec![(at + 1).to_string(), shown(entry, page), entry.commands.to_string(), marks(&entry.findings)]
        });
        page.table(out, &["", "entry", "commands", "found"], rows.collect())?;
    }
    Ok(())
}

fn shown(entry: &EntrySurvey, page: &Page) -> String {
    let raw = if entry.raw.as_os_str().is_empty() { "(empty)".to_owned() } else { page.short(&entry.raw.text()) };
    if entry.exists { raw } else { style::DIM.over(&raw) }
}

fn marks(findings: &[Finding]) -> String {
    findings
        .iter()
        .map(|finding| severity(finding.severity).1.over(finding.code.as_str()))
        .collect::<Vec<_>>()
        .join(", ")
}

fn summary(report: &Report<SurveyedPath>) -> String {
    let number = |wanted: Severity| all_findings(report).filter(|finding| finding.severity == wanted).count();
    let words: Vec<String> = [Severity::Problem, Severity::Caution, Severity::Note]
        .into_iter()
        .filter(|wanted| number(*wanted) > 0)
        .map(|wanted| {
            let (word, colour) = severity(wanted);
            colour.over(&count(number(wanted), word, &format!("{word}s")))
        })
        .collect();
    if words.is_empty() { style::GOOD.over("no findings") } else { words.join(", ") }
}
