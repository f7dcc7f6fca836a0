//! `wyard history [ID]`

use std::process::ExitCode;

use wagon_yard_core::jobs::history;

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Lists the changes, or shows one in full.
pub fn run(id: Option<u64>, context: &Context) -> Result<ExitCode, Failure> {
    context.report(&history::run(&context.session, id)?, view::history::write)
}
