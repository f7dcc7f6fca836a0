//! `wyard unpack FILE --into DIR`

use std::process::ExitCode;

use wagon_yard_core::jobs::unpack::{self, UnpackRequest};

use crate::args::UnpackArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::progress::Shown;
use crate::view;

pub fn run(args: UnpackArgs, context: &Context) -> Result<ExitCode, Failure> {
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
