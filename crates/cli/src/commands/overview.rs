//! `wyard` alone: a short page.

use std::io::Write as _;
use std::process::ExitCode;

use crate::context::Context;
use crate::failure::{Failure, OutputError};
use crate::view::style;

const FIRST: [(&str, &str); 3] = [
    ("wyard demo", "see it work, on made-up data in a sandbox"),
    ("wyard receive FILE", "unpack a downloaded tool, register it, prove it"),
    ("wyard trace COMMAND", "see which copy of a command runs, and why"),
];

const GROUPS: [(&str, &[(&str, &str)]); 3] = [
    (
        "prove",
        &[
            ("check [NAME…]", "do received tools work in every new terminal?"),
            ("trial NAME", "small real work, and what must come of it"),
            ("survey", "what is wrong with PATH as a whole"),
            ("path show", "PATH, and what put each entry there"),
            ("explain CODE", "what a finding means"),
        ],
    ),
    (
        "keep",
        &[
            ("stock", "list the received tools"),
            ("adopt FOLDER", "take over a folder that is in place; also --search"),
            ("register NAME", "put a tool into PATH; unregister takes it out"),
            ("switch NAME VERSION", "put another received version in service"),
            ("retire NAME", "take it out of the stock as well"),
            ("history, undo [ID]", "what was changed, and taking it back"),
            ("path add DIR", "put a folder into PATH; also drop, move, tidy"),
        ],
    ),
    (
        "more",
        &[
            ("catch-up SHELL", "bring this terminal to what a new one has"),
            ("completions SHELL", "completion script"),
            ("help of a command", "wyard COMMAND --help"),
        ],
    ),
];

/// Prints the page.
pub fn run(_context: &Context) -> Result<ExitCode, Failure> {
    let mut out = anstream::stdout();
    let mut page = || {
        writeln!(out, "Wagon Yard makes the commands of a downloaded tool work in every new terminal.\n")?;
        for (call, does) in FIRST {
            writeln!(out, "  {}{call:<22}{}{does}", style::STRONG, style::STRONG.render_reset())?;
        }
        for (group, calls) in GROUPS {
            writeln!(out, "\n{group}")?;
            for (call, does) in calls {
                writeln!(out, "  {call:<22}{does}")?;
            }
        }
        out.flush()
    };
    page().map_err(OutputError)?;
    Ok(ExitCode::SUCCESS)
}
