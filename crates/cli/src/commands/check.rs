//! `wyard check [NAME…]`

use std::process::ExitCode;

use wagon_yard_core::jobs::check::{self, CheckRequest, ProbeChange};
use wagon_yard_core::yard::{CardProbe, Requires};

use crate::args::CheckArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(args: CheckArgs, context: &Context) -> Result<ExitCode, Failure> {
    let given = CardProbe {
        arguments: args.probe.as_deref().map(super::words::words).transpose()?,
        expect: args.expect,
        status: args.status,
    };
    let probe = match args.usual_probe {
        true => ProbeChange::Usual,
        false if given == CardProbe::default() => ProbeChange::Stays,
        false => ProbeChange::Set(given),
    };
    let requires = Requires::from(args.requires);
    let request = CheckRequest {
        names: args.names,
        runs: !args.no_run,
        all_path: args.all_path,
        probe,
        requires: (args.requires_nothing || requires != Requires::default()).then_some(requires),
        dry_run: args.dry_run,
    };
    let report = check::run(&context.session, &request)?;
    context.report(&report, if request.all_path { view::check::write_path } else { view::check::write })
}
