//! `wyard undo [ID]`

use std::process::ExitCode;

use wagon_yard_core::jobs::undo::{self, UndoRequest};

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(request: UndoRequest, context: &Context) -> Result<ExitCode, Failure> {
    context.report(&undo::run(&context.session, &request)?, view::undo::write)
}
