//! `wyard register NAME` and `wyard unregister NAME`

use std::process::ExitCode;

use wagon_yard_core::receive;

use crate::args::NameArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Registers or unregisters a tool.
pub fn run(args: &NameArgs, context: &Context, put: bool) -> Result<ExitCode, Failure> {
    let change = if put { receive::register } else { receive::unregister };
    let report = change(&context.machine, &args.name, args.dry_run, &context.stop)?;
    context.report(&report, view::register::write)?;
    Ok(ExitCode::SUCCESS)
}
