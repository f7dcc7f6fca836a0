//! Questions to the user, where there is a terminal to ask them on.

use std::io::{self, BufRead as _, IsTerminal as _, Write as _};
use std::path::PathBuf;

use wagon_yard_core::jobs::consent::Consent;
use wagon_yard_core::start_policy::NotStarted;

use crate::view;

/// Whether somebody is there who can be asked.
pub fn can_ask() -> bool {
    io::stdin().is_terminal() && io::stderr().is_terminal()
}

pub fn consent() -> Consent {
    if !can_ask() {
        return Consent::NobodyToAsk;
    }
    if yes("Run it?") { Consent::Given } else { Consent::Refused }
}

/// Whether a tool may be started to be asked for its version, where nothing keeps it from the machine.
pub fn may_start(tool: &str, why: NotStarted) -> bool {
    let what = match why {
        NotStarted::Elevated => "with administrator rights, and nothing to keep it from the machine",
        _ => "with nothing to keep it from the machine; no published checksum vouches for it",
    };
    yes(&format!("To verify {}, start it with --version? It would run {what}.", view::escape(tool)))
}

/// Asks a question that is answered with yes or no; no answer is a no.
pub fn yes(question: &str) -> bool {
    let asked = write!(anstream::stderr(), "{question} [y/N] ").and_then(|()| io::stderr().flush());
    let mut line = String::new();
    asked.and_then(|()| io::stdin().lock().read_line(&mut line)).is_ok_and(|_| matches!(line.trim(), "y" | "Y" | "yes"))
}

/// Asks which of several folders is meant, until the answer is one of them or none.
pub fn which(folders: &[PathBuf]) -> Option<usize> {
    if !can_ask() {
        return None;
    }
    let mut out = io::stderr();
    writeln!(out, "Commands are in several folders:").ok()?;
    for (at, folder) in folders.iter().enumerate() {
        writeln!(out, "  {}  {}", at + 1, view::escape(&folder.to_string_lossy())).ok()?;
    }
    loop {
        write!(out, "Which one is the tool? [1-{}, nothing for none] ", folders.len()).ok()?;
        let mut line = String::new();
        if io::stdin().lock().read_line(&mut line).ok()? == 0 || line.trim().is_empty() {
            return None;
        }
        let at = line.trim().parse::<usize>().ok().and_then(|number| number.checked_sub(1));
        if let Some(at) = at.filter(|at| *at < folders.len()) {
            return Some(at);
        }
    }
}
