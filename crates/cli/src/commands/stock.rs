//! `wyard stock`

use std::process::ExitCode;

use wagon_yard_core::jobs::stock::{self, StockRequest};

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Lists the stock, or mends it.
pub fn run(request: StockRequest, context: &Context) -> Result<ExitCode, Failure> {
    context.report(&stock::run(&context.session, request)?, view::stock::write)
}
