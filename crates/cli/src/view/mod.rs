//! Text views: from a report to lines for people. A view computes no fact.

pub mod check;
pub mod receive;
pub mod register;
pub mod stock;
pub mod style;
pub mod trace;

use std::io::{self, IsTerminal as _, Write};

use tabled::builder::Builder;
use tabled::settings::{Padding, Style, Width};
use wagon_yard_core::finding::{Finding, Severity};

/// How wide lines may be.
#[derive(Debug, Clone, Copy)]
pub struct Page {
    width: usize,
}

/// Below this width lines are not broken any further.
const NARROWEST: usize = 30;

impl Page {
    /// As wide as the terminal; without one, lines are never broken.
    #[must_use]
    pub fn of_terminal() -> Self {
        let size = terminal_size::terminal_size().filter(|_| io::stdout().is_terminal());
        Self { width: size.map_or(usize::MAX, |(width, _)| usize::from(width.0).max(NARROWEST)) }
    }

    /// Writes a label and a text beside it, broken at spaces into lines that stand under the first.
    pub fn labelled(self, out: &mut dyn Write, label: &str, columns: usize, text: &str) -> io::Result<()> {
        let room = self.width.saturating_sub(columns).max(NARROWEST.saturating_sub(columns)).max(10);
        let mut line = String::new();
        let mut lead = format!("{label}{}", " ".repeat(columns.saturating_sub(style::columns(label))));
        let blank = " ".repeat(columns);
        for word in text.split(' ') {
            let longer = style::columns(&line) + usize::from(!line.is_empty()) + style::columns(word);
            if !line.is_empty() && longer > room {
                writeln!(out, "{lead}{line}")?;
                lead.clone_from(&blank);
                line.clear();
            }
            if !line.is_empty() {
                line.push(' ');
            }
            line.push_str(word);
        }
        writeln!(out, "{lead}{line}")
    }

    /// Writes rows in columns, the first row as the heading.
    pub fn table(self, out: &mut dyn Write, heading: &[&str], rows: Vec<Vec<String>>) -> io::Result<()> {
        let mut builder = Builder::default();
        builder.push_record(heading.iter().map(|h| style::DIM.over(h)));
        for row in rows {
            builder.push_record(row);
        }
        let mut table = builder.build();
        table.with(Style::empty()).with(Padding::new(0, 2, 0, 0));
        if self.width != usize::MAX {
            table.with(Width::wrap(self.width.saturating_sub(2)).keep_words(true));
        }
        for line in table.to_string().lines() {
            writeln!(out, "  {}", line.trim_end())?;
        }
        Ok(())
    }

    /// Writes findings, worst first.
    pub fn findings(self, out: &mut dyn Write, findings: &[&Finding]) -> io::Result<()> {
        let mut sorted: Vec<&&Finding> = findings.iter().collect();
        sorted.sort_by_key(|f| f.severity);
        for finding in sorted {
            let (word, style) = match finding.severity {
                Severity::Problem => ("problem", style::BAD),
                Severity::Caution => ("caution", style::CAUTION),
                Severity::Note => ("note", style::DIM),
            };
            let text = format!("{} [{}]", escape(&finding.seen), finding.code.as_str());
            self.labelled(out, &format!("  {}", style.over(word)), 11, &text)?;
            if let Some(remedy) = &finding.remedy {
                self.labelled(out, &format!("  {}", style::DIM.over("do")), 11, &escape(remedy))?;
            }
        }
        Ok(())
    }
}

/// Makes text from outside safe to print: control and direction characters are shown as escapes.
#[must_use]
pub fn escape(text: &str) -> String {
    let hidden = |c: char| {
        c.is_control() || matches!(c, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
    };
    text.chars().flat_map(|c| if hidden(c) { c.escape_default().collect() } else { vec![c] }).collect()
}

/// As [`escape`], with line breaks kept.
#[must_use]
pub fn escape_lines(text: &str) -> String {
    text.split('\n').map(escape).collect::<Vec<_>>().join("\n")
}

/// A number of things, in words.
#[must_use]
pub fn count(number: usize, one: &str, many: &str) -> String {
    if number == 1 { format!("1 {one}") } else { format!("{number} {many}") }
}

/// A number of bytes, in the unit that suits.
#[must_use]
pub fn bytes(number: u64) -> String {
    indicatif::HumanBytes(number).to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_from_outside_reaches_the_terminal_raw() {
        assert_eq!(escape("a\u{1b}[31mb\u{202e}ä\n"), "a\\u{1b}[31mb\\u{202e}ä\\n");
        assert_eq!(escape_lines("a\n\u{7}"), "a\n\\u{7}");
    }

    #[test]
    fn long_text_stands_under_its_beginning() {
        let mut out = Vec::new();
        Page { width: 34 }.labelled(&mut out, "layout", 10, "one two three four five six seven").unwrap();
        assert_eq!(String::from_utf8(out).unwrap(), "layout    one two three four five\n          six seven\n");
    }
}
