//! `wyard retire NAME` and `wyard retire --empty`

use std::io::{self, Write as _};
use std::process::ExitCode;

use wagon_yard_core::installer::{uninstall, uninstaller};
use wagon_yard_core::receive::{empty_retired, retire};

use crate::args::RetireArgs;
use crate::context::Context;
use crate::failure::{Failure, OutputError, exit};
use crate::view::{self, escape};

/// Takes a tool out of the stock, or removes for good what was taken out.
pub fn run(args: &RetireArgs, context: &Context) -> Result<ExitCode, Failure> {
    if let (Some(name), true) = (&args.name, args.uninstall) {
        return with_uninstaller(name, args, context);
    }
    let report = match &args.name {
        Some(name) => retire(&context.machine, name, args.dry_run, &context.stop)?,
        None => empty_retired(&context.machine, args.dry_run)?,
    };
    context.report(&report, view::history::write_retire)?;
    Ok(ExitCode::SUCCESS)
}

/// Retires a tool and runs its uninstaller, with the user's say.
fn with_uninstaller(name: &str, args: &RetireArgs, context: &Context) -> Result<ExitCode, Failure> {
    let command = uninstaller(&context.machine, name)?;
    if let Some(command) = &command
        && (args.dry_run || !args.yes)
    {
        let line = escape(&shell_words::join(command));
        writeln!(io::stderr(), "runs {line}").map_err(OutputError)?;
    }
    if args.dry_run {
        return Ok(ExitCode::SUCCESS);
    }
    if command.is_some() && !args.yes {
        super::install::ask()?;
    }
    let report = uninstall(&context.machine, name, args.time.limit(), &context.stop)?;
    context.report(&report, view::install::write_uninstall)?;
    Ok(if report.well { ExitCode::SUCCESS } else { ExitCode::from(exit::VERDICT) })
}
