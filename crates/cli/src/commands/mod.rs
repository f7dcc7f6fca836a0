//! The commands: one file each, from arguments to a report and an exit code.

mod about;
mod adopt;
mod catch_up;
mod changes;
mod check;
mod completions;
mod demo;
mod looks;
mod overview;
mod page;
mod path;
mod receive;
mod retire;
#[cfg(test)]
mod schemas_tests;
mod selftest;
mod trial;
mod words;

use std::process::ExitCode;

use wagon_yard_core::jobs::stock::StockRequest;
use wagon_yard_core::jobs::undo::UndoRequest;

use crate::args::Command;
use crate::context::Context;
use crate::failure::Failure;

pub fn run(command: Option<Command>, context: &Context) -> Result<ExitCode, Failure> {
    context.tell_unfinished();
    match command {
        None => overview::run(context),
        Some(Command::Receive(args)) => receive::run(*args, context),
        Some(Command::Adopt(args)) => adopt::run(*args, context),
        Some(Command::Inspect(args)) => looks::inspect(*args, context),
        Some(Command::Unpack(args)) => looks::unpack(*args, context),
        Some(Command::Check(args)) => check::run(args, context),
        Some(Command::Trial(args)) => trial::run(args, context),
        Some(Command::Trace(args)) => looks::trace(args, context),
        Some(Command::Survey(args)) => looks::survey(&args, context),
        Some(Command::CatchUp(args)) => catch_up::run(&args, context),
        Some(Command::Path(command)) => path::run(command, context),
        Some(Command::Machine(args)) => looks::machine(args.from.as_deref(), context),
        Some(Command::Explain(args)) => looks::explain(&args, context),
        Some(Command::Stock { moved: true, dry_run, .. }) => {
            changes::stock(StockRequest::TakeOver { dry_run }, context)
        }
        Some(Command::Stock { mend: true, dry_run, .. }) => changes::stock(StockRequest::Mend { dry_run }, context),
        Some(Command::Stock { from: Some(from), .. }) => changes::recorded_stock(&from, context),
        Some(Command::Stock { no_run, .. }) => changes::stock(StockRequest::List { asks: !no_run }, context),
        Some(Command::Retire(args)) => retire::run(args, context),
        Some(Command::History { id, all }) => changes::history(id, all, context),
        Some(Command::Undo { id, dry_run }) => changes::undo(UndoRequest { id, dry_run }, context),
        Some(Command::Register(args)) => changes::register(args, context),
        Some(Command::Unregister(args)) => changes::unregister(args, context),
        Some(Command::Switch(args)) => changes::switch(args, context),
        Some(Command::Deliver(args)) => changes::deliver(args, context),
        Some(Command::Draft { folder }) => changes::draft(folder.as_deref(), context),
        Some(Command::Snapshot(args)) => looks::snapshot(args, context),
        Some(Command::Compare(args)) => looks::compare(args, context),
        Some(Command::Page(args)) => page::run(args, context),
        Some(Command::Demo(args)) => demo::run(&args, context),
        Some(Command::Selftest(args)) => selftest::run(args, context),
        Some(Command::About) => about::run(context),
        Some(Command::Completions { shell }) => completions::run(&shell, context),
    }
}
