//! `wyard adopt FOLDER` and `wyard adopt --search`

use std::process::ExitCode;

use wagon_yard_core::jobs::adopt::{self, AdoptRequest};

use crate::args::AdoptArgs;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view;

pub fn run(args: AdoptArgs, context: &Context) -> Result<ExitCode, Failure> {
    if args.search {
        return context.report(&adopt::search(&context.session)?, view::adopt::write_search);
    }
    let Some(folder) = args.folder else {
        return Err(Failure::new(exit::CALL, "no folder given", Some("to search for tools: wyard adopt --search")));
    };
    let request = AdoptRequest {
        folder,
        home_variables: args.tool.home_variables(),
        name: args.tool.name,
        version: args.tool.version,
        command_folders: args.tool.command_folders,
        scope: context.session.machine.scope,
        move_in: args.move_in,
        trusts: args.trust_folder,
        dry_run: args.dry_run,
        installed: None,
    };
    context.report(&adopt::run(&context.session, &request)?, view::adopt::write)
}
