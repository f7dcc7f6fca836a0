//! `wyard stock`

use std::process::ExitCode;

use wagon_yard_core::receive::stock;

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Lists the stock.
pub fn run(no_run: bool, context: &Context) -> Result<ExitCode, Failure> {
    context.report(&stock(&context.machine, !no_run, &context.stop)?, view::stock::write)?;
    Ok(ExitCode::SUCCESS)
}
