//! `wyard trace COMMAND…`

use std::process::ExitCode;

use wagon_yard_core::jobs::trace::{self, TraceRequest};
use wagon_yard_core::shells::TerminalKind;
use wagon_yard_core::snapshot::read;

use crate::args::TraceArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Traces the names; a name that nothing answers to is a bad verdict.
pub fn run(args: TraceArgs, context: &Context) -> Result<ExitCode, Failure> {
    let TraceArgs { commands: names, caller, terminal, versions, from, evidence: _ } = args;
    if let Some(from) = from {
        let snapshot = read(&from)?;
        return context.recorded(&snapshot, &trace::recorded(&snapshot, &names, caller)?, view::trace::write);
    }
    let request = TraceRequest { names, caller, terminal: terminal.map(TerminalKind::from), versions };
    context.report(&trace::run(&context.session, &request)?, view::trace::write)
}
