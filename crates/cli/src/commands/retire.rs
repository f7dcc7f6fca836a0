//! `wyard retire NAME` and `wyard retire --empty`

use std::process::ExitCode;

use wagon_yard_core::receive::{empty_retired, retire};

use crate::args::RetireArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Takes a tool out of the stock, or removes for good what was taken out.
pub fn run(args: &RetireArgs, context: &Context) -> Result<ExitCode, Failure> {
    let report = match &args.name {
        Some(name) => retire(&context.machine, name, args.dry_run, &context.stop)?,
        None => empty_retired(&context.machine, args.dry_run)?,
    };
    context.report(&report, view::history::write_retire)?;
    Ok(ExitCode::SUCCESS)
}
