//! `wyard stock`

use std::process::ExitCode;

use wagon_yard_core::receive::stock;

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Lists the stock.
pub fn run(context: &Context) -> Result<ExitCode, Failure> {
    context.report(&stock(&context.machine)?, view::stock::write)?;
    Ok(ExitCode::SUCCESS)
}
