//! `wyard` alone: a short page.

use std::io::{self, Write};
use std::process::ExitCode;

use serde::Serialize;
use wagon_yard_core::report::{Report, ReportBody};

use crate::context::Context;
use crate::failure::Failure;
use crate::view::{Page, style};

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
            ("machine", "system, processor, C library, shells, interpreters"),
            ("completions SHELL", "completion script"),
            ("help of a command", "wyard COMMAND --help"),
        ],
    ),
];

/// The commands, as the page groups them.
#[derive(Debug, Serialize)]
struct Overview {
    /// This program's version.
    version: &'static str,
    /// Group by group; the first has no name.
    groups: Vec<Group>,
}

/// Commands that belong together.
#[derive(Debug, Serialize)]
struct Group {
    /// What they are for.
    name: &'static str,
    /// The calls.
    calls: Vec<Call>,
}

/// A call, and what it does.
#[derive(Debug, Serialize)]
struct Call {
    /// As it is typed.
    call: &'static str,
    /// What it does.
    does: &'static str,
}

impl ReportBody for Overview {
    fn name(&self) -> &'static str {
        "overview"
    }
}

/// Prints the page.
pub fn run(context: &Context) -> Result<ExitCode, Failure> {
    let group = |(name, calls): (&'static str, &[(&'static str, &'static str)])| Group {
        name,
        calls: calls.iter().map(|(call, does)| Call { call, does }).collect(),
    };
    let groups = [("", &FIRST[..])].into_iter().chain(GROUPS).map(group).collect();
    context.report(&Report::new(Overview { version: env!("CARGO_PKG_VERSION"), groups }), write)
}

fn write(report: &Report<Overview>, _page: &Page, out: &mut dyn Write) -> io::Result<()> {
    writeln!(out, "Wagon Yard makes the commands of a downloaded tool work in every new terminal.\n")?;
    for group in &report.groups {
        if group.name.is_empty() {
            for Call { call, does } in &group.calls {
                writeln!(out, "  {}{call:<22}{}{does}", style::STRONG, style::STRONG.render_reset())?;
            }
            continue;
        }
        writeln!(out, "\n{}", group.name)?;
        for Call { call, does } in &group.calls {
            writeln!(out, "  {call:<22}{does}")?;
        }
    }
    Ok(())
}
