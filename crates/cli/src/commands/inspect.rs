//! `wyard inspect FILE`

use std::process::ExitCode;

use wagon_yard_core::jobs::inspect::{self, InspectRequest};
use wagon_yard_core::snapshot::read;

use crate::args::InspectArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(args: InspectArgs, context: &Context) -> Result<ExitCode, Failure> {
    let InspectArgs { file, checksums, whole, versions, from } = args;
    if file.is_dir() && from.is_none() {
        return context.report(&inspect::folder(&context.session, &file)?, view::inspect_folder::write);
    }
    let there = from.map(|from| read(&from)).transpose()?;
    let request = InspectRequest { file, trust: checksums.into(), whole, versions, there };
    let report = inspect::run(&context.session, &request)?;
    match &request.there {
        Some(there) => context.recorded(there, &report, view::inspect::write),
        None => context.report(&report, view::inspect::write),
    }
}
