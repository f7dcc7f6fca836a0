//! `wyard register NAME` and `wyard unregister NAME`

use std::process::ExitCode;

use wagon_yard_core::receive::{self, RegisterReport};

use crate::args::NameArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Registers a tool.
pub fn register(args: &NameArgs, context: &Context) -> Result<ExitCode, Failure> {
    let NameArgs { name, dry_run } = args;
    let scope = context.global.scope.map(Into::into);
    tell(&receive::register(&context.machine, name, scope, *dry_run, &context.stop)?, context)
}

/// Takes a tool out again.
pub fn unregister(args: &NameArgs, context: &Context) -> Result<ExitCode, Failure> {
    tell(&receive::unregister(&context.machine, &args.name, args.dry_run, &context.stop)?, context)
}

fn tell(report: &RegisterReport, context: &Context) -> Result<ExitCode, Failure> {
    context.report(report, view::register::write)?;
    Ok(ExitCode::SUCCESS)
}
