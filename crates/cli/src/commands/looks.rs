//! Commands that look at files, terminals and machines: they hand their arguments to a job, and show its report.

use std::path::Path;
use std::process::ExitCode;

use wagon_yard_core::jobs::compare::{self, CompareRequest};
use wagon_yard_core::jobs::inspect::{self, InspectRequest};
use wagon_yard_core::jobs::snapshot::{self, RecordRequest, SnapshotRequest};
use wagon_yard_core::jobs::survey::{self, SurveyRequest};
use wagon_yard_core::jobs::trace::{self, TraceRequest};
use wagon_yard_core::jobs::unpack::{self, UnpackRequest};
use wagon_yard_core::jobs::{explain, machine};
use wagon_yard_core::shells::TerminalKind;
use wagon_yard_core::snapshot::read;

use crate::args::{CompareArgs, ExplainArgs, InspectArgs, SnapshotArgs, SurveyArgs, TraceArgs, UnpackArgs};
use crate::context::Context;
use crate::failure::Failure;
use crate::progress::Shown;
use crate::view;

/// Traces the names; a name that nothing answers to is a bad verdict.
pub fn trace(args: TraceArgs, context: &Context) -> Result<ExitCode, Failure> {
    let TraceArgs { commands: names, caller, terminal, versions, from, evidence: _ } = args;
    if let Some(from) = from {
        let snapshot = read(&from)?;
        return context.recorded(&snapshot, &trace::recorded(&snapshot, &names, caller)?, view::trace::write);
    }
    let request = TraceRequest { names, caller, terminal: terminal.map(TerminalKind::from), versions };
    context.report(&trace::run(&context.session, &request)?, view::trace::write)
}

/// Surveys PATH; a finding as bad as asked for is a bad verdict.
pub fn survey(args: &SurveyArgs, context: &Context) -> Result<ExitCode, Failure> {
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

pub fn inspect(args: InspectArgs, context: &Context) -> Result<ExitCode, Failure> {
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

pub fn machine(from: Option<&Path>, context: &Context) -> Result<ExitCode, Failure> {
    if let Some(from) = from {
        let snapshot = read(from)?;
        return context.recorded(&snapshot, &machine::recorded(&snapshot), view::machine::write);
    }
    context.report(&machine::run(&context.session)?, view::machine::write)
}

pub fn compare(args: CompareArgs, context: &Context) -> Result<ExitCode, Failure> {
    let request = CompareRequest {
        base: args.base,
        files: args.files,
        then: args.then,
        made_by: env!("CARGO_PKG_VERSION").to_owned(),
    };
    context.report(&compare::run(&context.session, &request)?, view::compare::write)
}

pub fn snapshot(args: SnapshotArgs, context: &Context) -> Result<ExitCode, Failure> {
    let SnapshotArgs { into, name, versions } = args;
    let made_by = env!("CARGO_PKG_VERSION").to_owned();
    let request = SnapshotRequest { into, record: RecordRequest { name, versions, made_by } };
    context.report(&snapshot::run(&context.session, &request)?, view::snapshot::write)
}

pub fn explain(args: &ExplainArgs, context: &Context) -> Result<ExitCode, Failure> {
    context.report(&explain::run(&context.session, &args.code)?, view::explain::write)
}

pub fn unpack(args: UnpackArgs, context: &Context) -> Result<ExitCode, Failure> {
    let request = UnpackRequest {
        file: args.file,
        into: args.into,
        keep_wrapper: args.keep_wrapper,
        trust: args.checksums.into(),
        options: args.reading.into(),
        trusts: args.trust_folder,
        dry_run: args.dry_run,
    };
    context.report(&unpack::run(&context.session, &request, &Shown::new(context))?, view::unpack::write)
}
