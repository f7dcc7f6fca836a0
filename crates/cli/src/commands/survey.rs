//! `wyard survey`

use std::process::ExitCode;

use wagon_yard_core::finding::Severity;
use wagon_yard_core::survey::survey;
use wagon_yard_core::trace::TerminalKind;
use wagon_yard_core::yard::Yard;

use crate::args::SurveyArgs;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view;

/// Surveys PATH; a finding as bad as asked for is a bad verdict.
pub fn run(args: &SurveyArgs, context: &Context) -> Result<ExitCode, Failure> {
    let settings = Yard::of(&context.machine).settings()?;
    let terminal = args.terminal.map_or(TerminalKind::New, TerminalKind::from);
    let report = survey(&context.machine, &settings, terminal, &context.stop)?;
    context.report(&report, view::survey::write)?;
    let limit = Severity::from(args.fail_on);
    let bad = report.all_findings().any(|finding| finding.severity <= limit);
    Ok(if bad { ExitCode::from(exit::VERDICT) } else { ExitCode::SUCCESS })
}
