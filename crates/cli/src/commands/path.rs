//! `wyard path show`, `add`, `drop`, `move`, `tidy`

use std::io::{self, BufRead as _, IsTerminal as _, Write as _};
use std::path::PathBuf;
use std::process::ExitCode;

use wagon_yard_core::finding::Code;
use wagon_yard_core::path::{self, PathEdit, PathReport};

use crate::args::PathCommand;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view;

/// Shows PATH, or changes it.
pub fn run(command: PathCommand, context: &Context) -> Result<ExitCode, Failure> {
    let (edit, dry_run) = match command {
        PathCommand::Show => {
            context.report(&path::show(&context.machine, &context.stop)?, view::path::write)?;
            return Ok(ExitCode::SUCCESS);
        }
        PathCommand::Add { folder, last, dry_run } => {
            (PathEdit::Add { folder, last, scope: context.machine.scope }, dry_run)
        }
        PathCommand::Drop { folder, dry_run } => (PathEdit::Drop { folder }, dry_run),
        PathCommand::Move { folder, before, dry_run } => (PathEdit::Move { folder, before }, dry_run),
        PathCommand::Tidy { dry_run, yes } => return tidy(dry_run, yes, context),
    };
    let report = path::change(&context.machine, &edit, dry_run, &context.stop)?;
    context.report(&report, view::path::write)?;
    Ok(verdict(&report))
}

/// What somebody else has to do is not done, and neither is what a startup file undoes.
fn verdict(report: &PathReport) -> ExitCode {
    let left = report.action == "drop" && report.steps.iter().any(|step| !step.done)
        || report.findings.iter().any(|finding| finding.code == Code::ChangeUndone);
    if left { ExitCode::from(exit::VERDICT) } else { ExitCode::SUCCESS }
}

/// Tidies, and offers one by one what would change a command: on a terminal by asking, else by naming the command.
fn tidy(dry_run: bool, yes: bool, context: &Context) -> Result<ExitCode, Failure> {
    let report = path::change(&context.machine, &PathEdit::Tidy, dry_run, &context.stop)?;
    context.report(&report, view::path::write)?;
    let asks = io::stdin().is_terminal() && io::stderr().is_terminal() && !context.global.json;
    if dry_run || !(yes || asks) {
        return Ok(ExitCode::SUCCESS);
    }
    for step in report.steps.iter().filter(|step| step.command.is_some()) {
        if yes || agreed(&step.entry)? {
            let edit = PathEdit::Drop { folder: PathBuf::from(&step.entry) };
            let done = path::change(&context.machine, &edit, false, &context.stop)?;
            context.report(&done, view::path::write)?;
        }
    }
    Ok(ExitCode::SUCCESS)
}

fn agreed(entry: &str) -> Result<bool, Failure> {
    let refused = |e: io::Error| Failure::new(exit::MACHINE, format!("no answer could be read: {e}"), None);
    let mut error = anstream::stderr();
    write!(error, "take {} out all the same? [y/N] ", view::escape(entry)).map_err(refused)?;
    error.flush().map_err(refused)?;
    let mut line = String::new();
    io::stdin().lock().read_line(&mut line).map_err(refused)?;
    Ok(matches!(line.trim(), "y" | "Y" | "yes"))
}
