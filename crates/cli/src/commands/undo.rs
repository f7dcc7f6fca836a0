//! `wyard undo [ID]`

use std::process::ExitCode;

use wagon_yard_core::receive::undo;

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Takes a change back.
pub fn run(id: Option<u64>, dry_run: bool, context: &Context) -> Result<ExitCode, Failure> {
    context.report(&undo(&context.machine, id, dry_run, &context.stop)?, view::history::write_undo)?;
    Ok(ExitCode::SUCCESS)
}
