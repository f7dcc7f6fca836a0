//! `wyard explain CODE`

use std::process::ExitCode;

use wagon_yard_core::jobs::explain;

use crate::args::ExplainArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(args: &ExplainArgs, context: &Context) -> Result<ExitCode, Failure> {
    context.report(&explain::run(&context.session, &args.code)?, view::explain::write)
}
