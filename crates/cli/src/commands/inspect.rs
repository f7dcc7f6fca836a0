//! `wyard inspect FILE`

use std::process::ExitCode;

use wagon_yard_core::jobs::inspect::{self, InspectRequest};

use crate::args::InspectArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Looks into a file.
pub fn run(args: InspectArgs, context: &Context) -> Result<ExitCode, Failure> {
    let InspectArgs { file, checksums, whole, versions } = args;
    if file.is_dir() {
        return context.report(&inspect::folder(&context.session, &file)?, view::inspect_folder::write);
    }
    let request = InspectRequest { file, trust: checksums.into(), whole, versions };
    context.report(&inspect::run(&context.session, &request)?, view::inspect::write)
}
