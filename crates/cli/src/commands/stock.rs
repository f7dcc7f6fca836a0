//! `wyard stock`

use std::path::Path;
use std::process::ExitCode;

use wagon_yard_core::jobs::stock::{self, StockRequest};
use wagon_yard_core::snapshot::read;

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(request: StockRequest, context: &Context) -> Result<ExitCode, Failure> {
    context.report(&stock::run(&context.session, request)?, view::stock::write)
}

pub fn recorded(from: &Path, context: &Context) -> Result<ExitCode, Failure> {
    let snapshot = read(from)?;
    context.recorded(&snapshot, &stock::recorded(&snapshot), view::stock::write)
}
