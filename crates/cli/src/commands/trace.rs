//! `wyard trace COMMAND…`

use std::process::ExitCode;

use wagon_yard_core::trace::{TerminalKind, TraceRequest, trace};
use wagon_yard_core::yard::Yard;

use crate::args::TraceArgs;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view;

/// Traces the names; a name that nothing answers to is a bad verdict.
pub fn run(args: TraceArgs, context: &Context) -> Result<ExitCode, Failure> {
    let settings = Yard::of(&context.machine).settings()?;
    let terminal = args.terminal.map(TerminalKind::from);
    let request = TraceRequest { names: args.commands, caller: args.caller, terminal, versions: args.versions };
    let report = trace(&context.machine, &settings, &request, &context.stop);
    if context.stop.requested() {
        return Err(Failure::new(exit::INTERRUPTED, "interrupted; nothing was changed", None));
    }
    context.report(&report, view::trace::write)?;
    let answered = report.commands.iter().all(wagon_yard_core::trace::CommandTrace::is_answered);
    Ok(if answered { ExitCode::SUCCESS } else { ExitCode::from(exit::VERDICT) })
}
