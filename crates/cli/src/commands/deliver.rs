//! `wyard deliver WAYBILL`

use std::process::ExitCode;

use wagon_yard_core::jobs::deliver::{self, DeliverRequest};

use crate::args::DeliverArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::progress::Shown;
use crate::view;

pub fn run(args: DeliverArgs, context: &Context) -> Result<ExitCode, Failure> {
    let DeliverArgs { waybill, only, dry_run, verify, retire_others, system, yes: agreed } = args;
    let request = DeliverRequest { waybill, only, dry_run, verify, retire_others, agreed, system };
    context.report(&deliver::run(&context.session, &request, &Shown::new(context))?, view::deliver::write)
}
