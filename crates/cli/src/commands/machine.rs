//! `wyard machine`

use std::process::ExitCode;

use wagon_yard_core::jobs::machine;

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Looks at this machine.
pub fn run(context: &Context) -> Result<ExitCode, Failure> {
    context.report(&machine::run(&context.session)?, view::machine::write)
}
