//! `wyard stock`

use std::process::ExitCode;

use wagon_yard_core::receive::{mend, stock};

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Lists the stock, or mends it.
pub fn run(no_run: bool, mends: bool, context: &Context) -> Result<ExitCode, Failure> {
    if mends {
        context.report(&mend(&context.machine)?, view::stock::write_mend)?;
        return Ok(ExitCode::SUCCESS);
    }
    context.report(&stock(&context.machine, !no_run, &context.stop)?, view::stock::write)?;
    Ok(ExitCode::SUCCESS)
}
