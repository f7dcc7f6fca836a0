//! `wyard` alone: a short page.

use std::io::{self, Write};
use std::process::ExitCode;

use serde::Serialize;
use wagon_yard_core::report::{Report, report_body};

use crate::context::Context;
use crate::failure::Failure;
use crate::view::{Page, style};

const FIRST: [(&str, &str); 3] = [
    ("wyard demo", "try it in a sandbox, on made-up data"),
    ("wyard receive FILE", "install a downloaded tool and verify it"),
    ("wyard trace COMMAND", "show which copy of a command runs, and why"),
];

const GROUPS: [(&str, &[(&str, &str)]); 3] = [
    (
        "prove",
        &[
            ("check [NAME…]", "verify tools in every new terminal"),
            ("trial NAME", "run a tool's own small tests"),
            ("survey", "find problems in PATH"),
            ("path show", "show PATH and where each entry comes from"),
            ("explain CODE", "what a finding means"),
        ],
    ),
    (
        "keep",
        &[
            ("stock", "list the received tools"),
            ("adopt FOLDER", "record an existing installation; also --search"),
            ("register NAME", "add a tool to PATH; also unregister"),
            ("switch NAME VERSION", "use another installed version"),
            ("retire NAME", "uninstall a tool"),
            ("history, undo [ID]", "list changes, undo them"),
            ("deliver WAYBILL", "set up the tools of a waybill; 'draft' prints one"),
            ("path add DIR", "add a folder to PATH; also drop, move, tidy"),
        ],
    ),
    (
        "more",
        &[
            ("catch-up SHELL", "update this terminal's PATH"),
            ("snapshot --into FILE", "record this machine; 'compare' shows how machines differ"),
            ("page --into FILE", "a map of PATH for a browser"),
            ("machine", "system, processor, C library, shells, interpreters"),
            ("completions SHELL", "completion script"),
            ("selftest", "test wyard itself on this machine; 'about' lists its parts"),
            ("help of a command", "wyard COMMAND --help"),
        ],
    ),
];

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(super) struct Overview {
    version: &'static str,
    /// Group by group; the first has no name.
    groups: Vec<Group>,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct Group {
    name: &'static str,
    calls: Vec<Call>,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct Call {
    call: &'static str,
    does: &'static str,
}

report_body!(Overview = "overview");

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
