//! `wyard compare FILE FILE`

use std::process::ExitCode;

use wagon_yard_core::jobs::compare::{self, CompareRequest};

use crate::args::CompareArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(args: CompareArgs, context: &Context) -> Result<ExitCode, Failure> {
    let request = CompareRequest {
        base: args.base,
        files: args.files,
        then: args.then,
        made_by: env!("CARGO_PKG_VERSION").to_owned(),
    };
    context.report(&compare::run(&context.session, &request)?, view::compare::write)
}
