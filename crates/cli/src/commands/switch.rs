//! `wyard switch NAME VERSION`

use std::process::ExitCode;

use wagon_yard_core::receive;

use super::exit_code;
use crate::args::SwitchArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Puts another version in service and proves it.
pub fn run(args: &SwitchArgs, context: &Context) -> Result<ExitCode, Failure> {
    let SwitchArgs { name, version, dry_run } = args;
    let report = receive::switch(&context.machine, name, version, *dry_run, &context.stop)?;
    context.report(&report, view::register::write_switch)?;
    Ok(report.verdict.map_or(ExitCode::SUCCESS, exit_code))
}
