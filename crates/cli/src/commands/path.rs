//! `wyard path show`, `add`, `drop`, `move`, `tidy`

use std::process::ExitCode;

use wagon_yard_core::jobs::path::{self, PathEdit, PathRequest, Step};
use wagon_yard_core::scope::Scope;
use wagon_yard_core::snapshot::read;

use crate::args::{FromArgs, PathCommand};
use crate::ask;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(command: PathCommand, context: &Context) -> Result<ExitCode, Failure> {
    let yes = matches!(command, PathCommand::Tidy { yes: true, .. });
    let scope = context.session.machine.scope;
    let change = |edit, dry_run| PathRequest::Change { edit, dry_run };
    let request = match command {
        PathCommand::Show(FromArgs { from: Some(from) }) => {
            let snapshot = read(&from)?;
            return context.recorded(&snapshot, &path::recorded(&snapshot)?, view::path::write);
        }
        PathCommand::Show(FromArgs { from: None }) => PathRequest::Show,
        PathCommand::Add { folder, last, trust_folder, dry_run } => {
            change(PathEdit::Add { folder, last, scope, trusts: trust_folder }, dry_run)
        }
        PathCommand::Drop { folder: entry, dry_run } => change(PathEdit::Drop { entry, scope }, dry_run),
        PathCommand::Move { folder: entry, before, dry_run } => {
            change(PathEdit::Move { entry, before, scope }, dry_run)
        }
        PathCommand::Tidy { dry_run, .. } => change(PathEdit::Tidy { scope }, dry_run),
    };
    // What a tidying offers is asked for on a terminal, and done unasked with --yes.
    let agrees = |step: &Step| {
        let question = || {
            let (entry, reason) = (view::escape(&step.entry.text()), view::escape(&step.reason));
            match step.scope {
                Scope::System if scope == Scope::User => {
                    format!("{entry}: {reason}. Remove it from the system's PATH?")
                }
                _ => format!("{entry}: {reason}. Remove it anyway?"),
            }
        };
        yes || ask::can_ask() && !context.global.json && ask::yes(&question())
    };
    context.report(&path::run(&context.session, &request, &agrees)?, view::path::write)
}
