//! `wyard inspect FILE`

use std::process::ExitCode;

use wagon_yard_core::installer::{look_first, recognise};
use wagon_yard_core::receive::{InspectRequest, inspect};

use crate::args::InspectArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Looks into a file.
pub fn run(args: InspectArgs, context: &Context) -> Result<ExitCode, Failure> {
    if let Some(installer) = recognise(&args.file)? {
        let installer = look_first(&context.machine, &args.file, installer, !args.no_run, &context.stop)?;
        context.report(&view::install::Inspected::of(&installer), view::install::write_inspected)?;
        return Ok(ExitCode::SUCCESS);
    }
    let InspectArgs { file, checksums, whole, no_run } = args;
    let request = InspectRequest { file, trust: checksums.into(), whole, no_run };
    let report = inspect(&context.machine, &request, &context.stop)?;
    context.report(&report, view::inspect::write)?;
    Ok(ExitCode::SUCCESS)
}
