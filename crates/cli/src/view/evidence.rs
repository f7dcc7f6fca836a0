//! How terminals were asked, and what they answered, to be read and repeated by hand.

use std::io::{self, Write};

use wagon_yard_core::report::ReportPath;
use wagon_yard_core::terminal::Evidence;

use super::style;
use super::text::{Page, command_line, escape};

const COLUMNS: usize = 12;

/// Terminal by terminal: how it was started and sealed, what was typed, what that asks, and all that came back.
pub fn write(evidence: &[Evidence], page: &Page, out: &mut dyn Write) -> io::Result<()> {
    for terminal in evidence {
        writeln!(out)?;
        let mut line = |label: &str, text: &str| page.labelled(out, &style::DIM.over(label), COLUMNS, text);
        line("terminal", &style::STRONG.over(&format!("{} ({})", terminal.caller.name(), terminal.mode.name())))?;
        let called = terminal.called.as_ref().map(|name| format!(", called {}", escape(name))).unwrap_or_default();
        let words: Vec<ReportPath> = [terminal.program.clone()]
            .into_iter()
            .chain(terminal.arguments.iter().map(|argument| std::path::PathBuf::from(argument).into()))
            .collect();
        let place = if terminal.typed.is_some() { ", on its own terminal" } else { "" };
        line("started", &format!("{}{called}{place}", command_line(&words, page)))?;
        line("seal", terminal.seal.name())?;
        if let Some(typed) = &terminal.typed {
            line("typed", &escape(typed))?;
        }
        block(if terminal.typed.is_some() { "which runs" } else { "argument" }, &terminal.question, out)?;
        block("answer", &terminal.answer, out)?;
    }
    Ok(())
}

/// A text of several lines; what ends with a zero is a line of its own.
fn block(label: &str, text: &str, out: &mut dyn Write) -> io::Result<()> {
    let lines = text.split(['\n', '\0']).map(|line| line.trim_end_matches('\r')).filter(|line| !line.is_empty());
    let mut label = style::DIM.over(label);
    for line in lines {
        let lead = format!("{label}{}", " ".repeat(COLUMNS.saturating_sub(style::columns(&label))));
        // As it is, however long: it may be copied.
        writeln!(out, "{lead}{}", escape(line))?;
        label.clear();
    }
    Ok(())
}
