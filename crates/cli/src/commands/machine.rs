//! `wyard machine`

use std::path::Path;
use std::process::ExitCode;

use wagon_yard_core::jobs::machine;
use wagon_yard_core::snapshot::read;

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(from: Option<&Path>, context: &Context) -> Result<ExitCode, Failure> {
    if let Some(from) = from {
        let snapshot = read(from)?;
        return context.recorded(&snapshot, &machine::recorded(&snapshot), view::machine::write);
    }
    context.report(&machine::run(&context.session)?, view::machine::write)
}
