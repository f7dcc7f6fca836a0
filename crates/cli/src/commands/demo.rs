//! `wyard demo`

use std::process::ExitCode;

use crate::args::DemoArgs;
use crate::context::Context;
use crate::demo::{Show, World, not_built};
use crate::failure::{Failure, exit};

pub fn run(args: &DemoArgs, context: &Context) -> Result<ExitCode, Failure> {
    let temporary;
    let folder = match &args.keep {
        Some(kept) if kept.exists() => {
            let message = format!("{} exists already", kept.display());
            return Err(Failure::new(exit::CALL, message, Some("choose a folder that does not exist")));
        }
        Some(kept) => kept.clone(),
        None => {
            temporary = tempfile::Builder::new().prefix("wyard-demo-").tempdir().map_err(not_built)?;
            temporary.path().to_owned()
        }
    };
    let folder = std::path::absolute(folder).map_err(not_built)?;
    let world = World::build(&folder, args.keep.is_some())?;
    let report = Show::new(&world, context)?.run(args.keep.is_some())?;
    // Its text has been printed on the way.
    context.report(&report, |_, _, _| Ok(()))
}
