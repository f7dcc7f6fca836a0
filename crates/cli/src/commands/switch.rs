//! `wyard switch NAME VERSION`

use std::process::ExitCode;

use wagon_yard_core::jobs::switch::{self, SwitchRequest};

use crate::args::SwitchArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(args: SwitchArgs, context: &Context) -> Result<ExitCode, Failure> {
    let SwitchArgs { name, version, dry_run } = args;
    let report = switch::run(&context.session, &SwitchRequest { name, version, dry_run })?;
    context.report(&report, view::register::write_switch)
}
