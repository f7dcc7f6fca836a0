//! `wyard inspect FILE`

use std::process::ExitCode;

use wagon_yard_core::jobs::inspect::{self, InspectRequest};

use crate::args::InspectArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Looks into a file.
pub fn run(args: InspectArgs, context: &Context) -> Result<ExitCode, Failure> {
    let InspectArgs { file, checksums, whole, no_run } = args;
    let request = InspectRequest { file, trust: checksums.into(), whole, no_run };
    context.report(&inspect::run(&context.session, &request)?, view::inspect::write)
}
