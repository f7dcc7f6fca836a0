//! `wyard survey`

use std::process::ExitCode;

use wagon_yard_core::jobs::survey::{self, SurveyRequest};
use wagon_yard_core::shells::TerminalKind;
use wagon_yard_core::snapshot::read;

use crate::args::SurveyArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Surveys PATH; a finding as bad as asked for is a bad verdict.
pub fn run(args: &SurveyArgs, context: &Context) -> Result<ExitCode, Failure> {
    if let Some(from) = &args.from {
        let snapshot = read(from)?;
        let report = survey::recorded(&snapshot, args.fail_on.into())?;
        return context.recorded(&snapshot, &report, |report, page, out| {
            view::survey::write(report, &page.clone().whole(args.all), out)
        });
    }
    let terminal = args.terminal.map_or(TerminalKind::New, TerminalKind::from);
    let request = SurveyRequest { terminal, fail_on: args.fail_on.into() };
    let report = survey::run(&context.session, request)?;
    context.report(&report, |report, page, out| view::survey::write(report, &page.clone().whole(args.all), out))
}
