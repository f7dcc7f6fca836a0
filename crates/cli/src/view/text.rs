//! Text for people: lines, tables, findings, and what is escaped in them.

use std::io::{self, IsTerminal as _, Write};
use std::path::{Path, PathBuf};

use wagon_yard_core::finding::{Finding, Severity};
use wagon_yard_core::machine::Machine;
use wagon_yard_core::process;
use wagon_yard_core::report::{Report, ReportPath};
use wagon_yard_core::system::System;
use wagon_yard_core::visible;

use super::style::{self, Style};

#[derive(Debug, Clone)]
pub struct Page {
    width: usize,
    plain: bool,
    pub(super) whole: bool,
    home: PathBuf,
    system: System,
}

/// No terminal is taken to be narrower than this.
const NARROWEST: usize = 20;

const BETWEEN: usize = 2;

/// Where text stands that goes below its label.
const BELOW: usize = 4;

impl Page {
    /// As wide as the terminal that standard output is; without one, lines are never broken.
    pub fn of_terminal() -> Self {
        Self::wide(io::stdout().is_terminal())
    }

    pub fn of_error_terminal() -> Self {
        Self::wide(io::stderr().is_terminal())
    }

    pub fn of_machine(self, machine: &Machine) -> Self {
        Self { home: machine.home.clone(), system: machine.system(), ..self }
    }

    /// One fact per line, without columns, as it is read aloud.
    pub fn plain(self, plain: bool) -> Self {
        Self { plain, ..self }
    }

    /// Every name of a list, however long.
    pub fn whole(self, whole: bool) -> Self {
        Self { whole, ..self }
    }

    pub fn system(&self) -> System {
        self.system
    }

    /// A file with the home folder written as `~`, where it lies in it: for showing, not for copying.
    pub fn short(&self, file: &str) -> String {
        match Path::new(file).strip_prefix(&self.home) {
            Ok(below) if !self.home.as_os_str().is_empty() => escape(&Path::new("~").join(below).to_string_lossy()),
            _ => escape(file),
        }
    }

    /// A path for people, with the home folder written as `~`.
    pub fn shown(&self, path: &Path) -> String {
        self.short(&path.to_string_lossy())
    }

    /// A sentence with the home folder written as `~` wherever a path begins with it.
    pub fn short_in(&self, text: &str) -> String {
        let home = self.home.join("").to_string_lossy().into_owned();
        if home.len() < 2 {
            return escape(text);
        }
        let (mut short, mut rest) = (String::new(), text);
        while let Some(at) = rest.find(&home) {
            let (before, after) = (&rest[..at], &rest[at + home.len()..]);
            let is_begin = !before.ends_with(|c: char| c.is_alphanumeric() || "._-/\\~".contains(c));
            short.push_str(before);
            short.push_str(if is_begin { "~" } else { &home[..home.len() - 1] });
            short.push(std::path::MAIN_SEPARATOR);
            rest = after;
        }
        escape(&(short + rest))
    }

    fn wide(is_terminal: bool) -> Self {
        let size = terminal_size::terminal_size().filter(|_| is_terminal);
        let width = size.map_or(usize::MAX, |(width, _)| usize::from(width.0).max(NARROWEST));
        Self { width, plain: false, whole: false, home: PathBuf::new(), system: System::Unix }
    }

    /// Writes a label and a text beside it, broken at spaces into lines that stand under the first. A word is never
    /// broken, so that a path can be copied; where one has no room beside the label, the text goes below it.
    pub fn labelled(&self, out: &mut dyn Write, label: &str, columns: usize, text: &str) -> io::Result<()> {
        if self.plain {
            let words = [label.trim(), text.trim()].into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>();
            return writeln!(out, "{}", words.join(" "));
        }
        let longest = text.split(' ').map(style::columns).max().unwrap_or_default();
        let mut lead = format!("{label}{}", " ".repeat(columns.saturating_sub(style::columns(label))));
        let mut columns = columns;
        if columns > BELOW && longest > self.width.saturating_sub(columns) {
            if !label.trim().is_empty() {
                writeln!(out, "{}", lead.trim_end())?;
            }
            columns = BELOW;
            lead = " ".repeat(BELOW);
        }
        let room = self.width.saturating_sub(columns);
        let mut line = String::new();
        for word in text.split(' ') {
            let longer = style::columns(&line) + usize::from(!line.is_empty()) + style::columns(word);
            if !line.is_empty() && longer > room {
                writeln!(out, "{lead}{line}")?;
                lead = " ".repeat(columns);
                line.clear();
            }
            if !line.is_empty() {
                line.push(' ');
            }
            line.push_str(word);
        }
        writeln!(out, "{lead}{line}")
    }

    /// Writes rows in columns under a heading, or, where they have no room side by side, below each other.
    pub fn table(&self, out: &mut dyn Write, heading: &[&str], rows: Vec<Vec<String>>) -> io::Result<()> {
        if self.plain {
            for (at, row) in rows.iter().enumerate() {
                if at > 0 {
                    writeln!(out)?;
                }
                for (label, cell) in heading.iter().zip(row).filter(|(_, cell)| !cell.is_empty()) {
                    let label = if label.is_empty() { "number" } else { label };
                    writeln!(out, "{label}: {cell}")?;
                }
            }
            return Ok(());
        }
        let wide = |at: usize| {
            let cells = rows.iter().filter_map(|row| row.get(at)).map(|cell| style::columns(cell));
            cells.chain([style::columns(heading[at])]).max().unwrap_or_default()
        };
        let widths: Vec<usize> = (0..heading.len()).map(wide).collect();
        if widths.iter().map(|width| width + BETWEEN).sum::<usize>() <= self.width {
            let heading = heading.iter().map(|h| style::DIM.over(h)).collect();
            return [heading].iter().chain(&rows).try_for_each(|row| {
                let mut line = String::from("  ");
                for (cell, width) in row.iter().zip(&widths) {
                    line.push_str(cell);
                    line.push_str(&" ".repeat(width - style::columns(cell) + BETWEEN));
                }
                writeln!(out, "{}", line.trim_end())
            });
        }
        let columns = heading.iter().map(|h| style::columns(h)).max().unwrap_or_default() + 4;
        for (i, row) in rows.iter().enumerate() {
            if i > 0 {
                writeln!(out)?;
            }
            for (label, value) in heading.iter().zip(row) {
                self.labelled(out, &format!("  {}", style::DIM.over(label)), columns, value)?;
            }
        }
        Ok(())
    }

    /// Writes findings, worst first, those of a kind together; what to do is said once for all that it is the same for.
    pub fn findings(&self, out: &mut dyn Write, findings: &[&Finding]) -> io::Result<()> {
        self.told(out, findings, false)
    }

    /// The same, with why each kind matters, save for mere notes.
    pub fn findings_with_why(&self, out: &mut dyn Write, findings: &[&Finding]) -> io::Result<()> {
        self.told(out, findings, true)
    }

    /// Writes the findings of a report as a whole, after a blank line.
    pub fn all_findings<T>(&self, out: &mut dyn Write, report: &Report<T>) -> io::Result<()> {
        if report.findings.is_empty() {
            return Ok(());
        }
        writeln!(out)?;
        self.findings(out, &report.findings.iter().collect::<Vec<_>>())
    }

    fn told(&self, out: &mut dyn Write, findings: &[&Finding], why: bool) -> io::Result<()> {
        let mut sorted: Vec<&&Finding> = findings.iter().collect();
        let first = |code| findings.iter().position(|f| f.code == code);
        sorted.sort_by_key(|f| (f.severity, first(f.code)));
        // What holds for several commands is told once.
        sorted.dedup();
        for (at, finding) in sorted.iter().enumerate() {
            let (word, style) = severity(finding.severity);
            if why && at > 0 && sorted[at - 1].code != finding.code {
                writeln!(out)?;
            }
            let names: Vec<String> = finding.names.iter().map(|name| escape(name)).collect();
            let names = match &names[..] {
                [] => String::new(),
                all if self.whole => format!(": {}", all.join(", ")),
                all => format!(": {}", some_of(all)),
            };
            let text = format!("{}{names} [{}]", self.short_in(&finding.seen), finding.code.as_str());
            let label = format!("  {}", style.over(word));
            self.labelled(out, &label, 11, &text)?;
            let last_of_kind = sorted.get(at + 1).is_none_or(|next| next.code != finding.code);
            if why && last_of_kind && finding.severity < Severity::Note {
                self.labelled(out, &format!("  {}", style::DIM.over("why")), 11, &style::DIM.over(finding.why))?;
            }
            let said_again =
                sorted.get(at + 1).is_some_and(|next| (next.code, &next.remedy) == (finding.code, &finding.remedy));
            if let Some(remedy) = finding.remedy.as_ref().filter(|_| !said_again) {
                self.labelled(out, &format!("  {}", style::DIM.over("do")), 11, &escape(remedy))?;
            }
        }
        Ok(())
    }
}

/// A command and its arguments as a line that can be typed.
pub(super) fn command_line(command: &[ReportPath], page: &Page) -> String {
    escape(&process::command_line::join(command, page.system()))
}

pub(super) fn some_of(names: &[String]) -> String {
    const MOST: usize = 8;
    let first = names.iter().take(MOST).cloned().collect::<Vec<_>>().join(", ");
    if names.len() > MOST { format!("{first} and {} more", names.len() - MOST) } else { first }
}

/// Makes text from outside safe to print: what a terminal would act on or not show stands there as escapes.
pub fn escape(text: &str) -> String {
    visible::escaped(text).into_owned()
}

pub fn severity(severity: Severity) -> (&'static str, Style) {
    match severity {
        Severity::Problem => ("problem", style::BAD),
        Severity::Caution => ("caution", style::CAUTION),
        Severity::Note => ("note", style::DIM),
    }
}

pub fn count(number: usize, one: &str, many: &str) -> String {
    if number == 1 { format!("1 {one}") } else { format!("{number} {many}") }
}

/// A number of bytes, in the unit that suits.
pub fn bytes(number: u64) -> String {
    indicatif::HumanBytes(number).to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn page(width: usize) -> Page {
        Page { width, plain: false, whole: false, home: PathBuf::new(), system: System::Unix }
    }

    #[test]
    fn long_text_stands_under_its_beginning() {
        let mut out = Vec::new();
        page(34).labelled(&mut out, "layout", 10, "one two three four five six seven").unwrap();
        assert_eq!(String::from_utf8(out).unwrap(), "layout    one two three four five\n          six seven\n");
        let mut out = Vec::new();
        page(20).labelled(&mut out, "layout", 10, "in /a/long/path").unwrap();
        assert_eq!(String::from_utf8(out).unwrap(), "layout\n    in /a/long/path\n");
    }

    #[test]
    fn a_table_without_room_is_told_row_by_row() {
        let rows = || vec![vec!["tidelog".to_owned(), "good".to_owned()]];
        let mut out = Vec::new();
        page(80).table(&mut out, &["command", "verdict"], rows()).unwrap();
        page(12).table(&mut out, &["command", "verdict"], rows()).unwrap();
        let text = anstream::adapter::strip_str(std::str::from_utf8(&out).unwrap()).to_string();
        let mut read = Vec::new();
        page(80).plain(true).table(&mut read, &["command", "verdict"], rows()).unwrap();
        assert_eq!(String::from_utf8(read).unwrap(), "command: tidelog\nverdict: good\n");
        assert_eq!(text, "  command  verdict\n  tidelog  good\n  command\n    tidelog\n  verdict\n    good\n");
    }
}
