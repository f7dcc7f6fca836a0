//! A finding explained, line by line.

use std::io::{self, Write};

use wagon_yard_core::jobs::explain::Explanation;
use wagon_yard_core::report::Report;

use super::style;
use super::text::{Page, severity};

/// What it means, how it comes about, what to do, an example.
pub fn write(explanation: &Report<Explanation>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let (word, colour) = severity(explanation.severity);
    writeln!(out, "{}, a {}", style::STRONG.over(explanation.code.as_str()), colour.over(word))?;
    writeln!(out)?;
    let mut why = explanation.why.to_owned();
    if let Some(first) = why.get_mut(..1) {
        first.make_ascii_uppercase();
    }
    for (label, text) in [
        ("means", explanation.means),
        ("matters", &format!("{why}.")),
        ("cause", explanation.comes_about),
        ("do", explanation.settle),
        ("example", explanation.example),
    ] {
        page.labelled(out, &format!("  {}", style::DIM.over(label)), 14, text)?;
    }
    Ok(())
}
