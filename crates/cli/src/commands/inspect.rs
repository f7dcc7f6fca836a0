//! `wyard inspect FILE`

use std::process::ExitCode;

use wagon_yard_core::receive::inspect;

use crate::args::InspectArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Looks into a file.
pub fn run(args: InspectArgs, context: &Context) -> Result<ExitCode, Failure> {
    let report = inspect(&context.machine, &args.file, &args.checksums.into(), &context.stop)?;
    context.report(&report, view::inspect::write)?;
    Ok(ExitCode::SUCCESS)
}
