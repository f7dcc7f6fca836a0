//! `wyard adopt FOLDER` and `wyard adopt --search`

use std::process::ExitCode;

use wagon_yard_core::receive::{AdoptRequest, adopt, search};

use crate::args::AdoptArgs;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view;

/// Adopts a folder, or looks for folders to adopt.
pub fn run(args: AdoptArgs, context: &Context) -> Result<ExitCode, Failure> {
    if args.search {
        context.report(&search(&context.machine, &context.stop)?, view::adopt::write_search)?;
        return Ok(ExitCode::SUCCESS);
    }
    let Some(folder) = args.folder else {
        return Err(Failure::new(exit::CALL, "no folder is named", Some("'wyard adopt --search' looks for some")));
    };
    let request = AdoptRequest {
        folder,
        home_variables: args.tool.home_variables(),
        name: args.tool.name,
        version: args.tool.version,
        command_folders: args.tool.command_folders,
        scope: context.machine.scope,
        only: None,
        renew: false,
        move_in: args.move_in,
        uninstaller: None,
        added: Vec::new(),
        source: None,
        dry_run: args.dry_run,
    };
    let report = adopt(&context.machine, &request, &context.stop)?;
    context.report(&report, view::adopt::write)?;
    Ok(report.verdict.map_or(ExitCode::SUCCESS, super::exit_code))
}
