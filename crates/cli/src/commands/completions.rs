//! `wyard completions SHELL`

use std::process::ExitCode;

use serde::Serialize;
use wagon_yard_core::report::{Report, report_body};

use crate::args::complete;
use crate::context::Context;
use crate::failure::Failure;

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(super) struct Completions {
    shell: String,
    script: String,
}

report_body!(Completions = "completions");

pub fn run(shell: &str, context: &Context) -> Result<ExitCode, Failure> {
    let script = complete::script(shell).unwrap_or_default();
    let script = String::from_utf8_lossy(&script).into_owned();
    let report = Report::new(Completions { shell: shell.to_owned(), script });
    // For a shell to read, not for people: nothing is escaped or broken.
    context.report(&report, |report, _, out| out.write_all(report.script.as_bytes()))
}
