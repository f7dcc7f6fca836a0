//! `wyard draft`

use std::process::ExitCode;

use wagon_yard_core::jobs::draft;

use crate::context::Context;
use crate::failure::Failure;

/// Prints a waybill of the yard as it is.
pub fn run(context: &Context) -> Result<ExitCode, Failure> {
    // For a file, not for people: nothing is escaped or broken.
    context.report(&draft::run(&context.session)?, |report, _, out| out.write_all(report.text.as_bytes()))
}
