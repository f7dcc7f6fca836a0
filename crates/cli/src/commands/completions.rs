//! `wyard completions SHELL`

use std::process::ExitCode;

use clap::CommandFactory as _;
use serde::Serialize;
use wagon_yard_core::report::{Report, ReportBody};

use crate::args::Args;
use crate::context::Context;
use crate::failure::Failure;

/// A completion script.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(super) struct Completions {
    /// The shell.
    shell: String,
    /// The script.
    script: String,
}

impl ReportBody for Completions {
    fn name(&self) -> &'static str {
        "completions"
    }
}

/// Prints the completion script.
pub fn run(shell: clap_complete::Shell, context: &Context) -> Result<ExitCode, Failure> {
    let mut script = Vec::new();
    clap_complete::generate(shell, &mut Args::command(), "wyard", &mut script);
    let script = String::from_utf8_lossy(&script).into_owned();
    let report = Report::new(Completions { shell: shell.to_string(), script });
    // For a shell to read, not for people: nothing is escaped or broken.
    context.report(&report, |report, _, out| out.write_all(report.script.as_bytes()))
}
