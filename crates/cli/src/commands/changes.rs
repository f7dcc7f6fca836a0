//! Commands that change what is on record, or tell of it: they hand their arguments to a job, and show its report.

use std::path::Path;
use std::process::ExitCode;

use wagon_yard_core::jobs::deliver::{self, DeliverRequest};
use wagon_yard_core::jobs::draft;
use wagon_yard_core::jobs::history::{self, HistoryRequest};
use wagon_yard_core::jobs::register::{self, RegisterRequest, Registering};
use wagon_yard_core::jobs::stock::{self, StockRequest};
use wagon_yard_core::jobs::switch::{self, SwitchRequest};
use wagon_yard_core::jobs::undo::{self, UndoRequest};
use wagon_yard_core::snapshot::read;

use crate::args::{DeliverArgs, NameArgs, SwitchArgs};
use crate::context::Context;
use crate::failure::Failure;
use crate::progress::Shown;
use crate::view;

pub fn undo(request: UndoRequest, context: &Context) -> Result<ExitCode, Failure> {
    context.report(&undo::run(&context.session, &request)?, view::undo::write)
}

pub fn switch(args: SwitchArgs, context: &Context) -> Result<ExitCode, Failure> {
    let SwitchArgs { name, version, dry_run } = args;
    let report = switch::run(&context.session, &SwitchRequest { name, version, dry_run })?;
    context.report(&report, view::register::write_switch)
}

pub fn register(args: NameArgs, context: &Context) -> Result<ExitCode, Failure> {
    let scope = context.global.scope.map(Into::into);
    change_registration(args, Registering::Register(scope), context)
}

pub fn unregister(args: NameArgs, context: &Context) -> Result<ExitCode, Failure> {
    change_registration(args, Registering::Unregister, context)
}

fn change_registration(args: NameArgs, does: Registering, context: &Context) -> Result<ExitCode, Failure> {
    let request = RegisterRequest { tool: args.name, does, dry_run: args.dry_run };
    context.report(&register::run(&context.session, &request)?, view::register::write)
}

pub fn deliver(args: DeliverArgs, context: &Context) -> Result<ExitCode, Failure> {
    let DeliverArgs { waybill, only, dry_run, verify, retire_others, system, yes: agreed } = args;
    let request = DeliverRequest { waybill, only, dry_run, verify, retire_others, agreed, system };
    context.report(&deliver::run(&context.session, &request, &Shown::new(context))?, view::deliver::write)
}

pub fn history(id: Option<u64>, all: bool, context: &Context) -> Result<ExitCode, Failure> {
    let request = match id {
        Some(id) => HistoryRequest::One(id),
        None if all => HistoryRequest::All,
        None => HistoryRequest::Recent,
    };
    context.report(&history::run(&context.session, request)?, view::history::write)
}

/// Prints a waybill of the yard as it is, or of a folder of downloads.
pub fn draft(folder: Option<&Path>, context: &Context) -> Result<ExitCode, Failure> {
    let report = match folder {
        Some(folder) => draft::of_folder(&context.session, folder)?,
        None => draft::run(&context.session)?,
    };
    // For a file, not for people: nothing is escaped or broken.
    context.report(&report, |report, _, out| out.write_all(report.text.as_bytes()))
}

pub fn stock(request: StockRequest, context: &Context) -> Result<ExitCode, Failure> {
    context.report(&stock::run(&context.session, request)?, view::stock::write)
}

pub fn recorded_stock(from: &Path, context: &Context) -> Result<ExitCode, Failure> {
    let snapshot = read(from)?;
    context.recorded(&snapshot, &stock::recorded(&snapshot), view::stock::write)
}
