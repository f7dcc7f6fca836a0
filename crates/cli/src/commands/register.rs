//! `wyard register NAME` and `wyard unregister NAME`

use std::process::ExitCode;

use wagon_yard_core::jobs::register::{self, RegisterRequest, Registering};

use crate::args::NameArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn register(args: NameArgs, context: &Context) -> Result<ExitCode, Failure> {
    let scope = context.global.scope.map(Into::into);
    run(args, Registering::Register(scope), context)
}

pub fn unregister(args: NameArgs, context: &Context) -> Result<ExitCode, Failure> {
    run(args, Registering::Unregister, context)
}

fn run(args: NameArgs, does: Registering, context: &Context) -> Result<ExitCode, Failure> {
    let request = RegisterRequest { tool: args.name, does, dry_run: args.dry_run };
    context.report(&register::run(&context.session, &request)?, view::register::write)
}
