//! `wyard receive FILE`

use std::process::ExitCode;

use wagon_yard_core::installer::recognise;
use wagon_yard_core::receive::{ReceiveRequest, receive};

use crate::args::ReceiveArgs;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::progress::Shown;
use crate::view;

/// Receives a tool.
pub fn run(args: ReceiveArgs, context: &Context) -> Result<ExitCode, Failure> {
    if args.installer.system_install || recognise(&args.file)?.is_some() {
        return super::install::run(args, context);
    }
    let passed_on = !args.installer.arguments.is_empty() || args.installer.installer_folder.is_some();
    if passed_on {
        let message = format!("{} is no installer that arguments could be passed on to", args.file.display());
        return Err(Failure::new(exit::CALL, message, Some("leave out what stands behind --")));
    }
    let request = ReceiveRequest {
        file: args.file,
        trust: args.checksums.into(),
        options: args.reading.into(),
        home_variables: args.tool.home_variables(),
        name: args.tool.name,
        version: args.tool.version,
        command_folders: args.tool.command_folders,
        scope: context.machine.scope,
        requires: args.requires.into(),
        foreign: args.foreign,
        replace: args.replace,
        stay: args.stay,
        or_undo: args.or_undo,
        dry_run: args.dry_run,
    };
    let report = receive(&context.machine, &request, &Shown::new(context), &context.stop)?;
    context.report(&report, view::receive::write)?;
    Ok(report.verdict.map_or(ExitCode::SUCCESS, super::exit_code))
}
