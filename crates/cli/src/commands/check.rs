//! `wyard check [NAME…]`

use std::process::ExitCode;

use wagon_yard_core::check::check;
use wagon_yard_core::yard::Yard;

use crate::args::NamesArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Checks the named tools, or all in service.
pub fn run(args: &NamesArgs, context: &Context) -> Result<ExitCode, Failure> {
    let yard = Yard::at(&context.machine.yard);
    let settings = yard.settings()?;
    let cards = if args.names.is_empty() {
        yard.in_service()?
    } else {
        args.names.iter().map(|name| yard.find(name)).collect::<Result<_, _>>()?
    };
    let report = check(&context.machine, &yard, &settings, &cards, &context.stop)?;
    context.report(&report, view::check::write)?;
    Ok(super::exit_code(report.verdict))
}
