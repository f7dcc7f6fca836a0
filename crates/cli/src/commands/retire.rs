//! `wyard retire NAME` and `wyard retire --empty`

use std::io::Write as _;
use std::process::ExitCode;

use wagon_yard_core::jobs::retire::{self, RetireRequest, UninstallOptions};
use wagon_yard_core::process::command_line;
use wagon_yard_core::report::ReportPath;

use crate::args::RetireArgs;
use crate::ask;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

/// Takes a tool out of the stock, or removes for good what was taken out.
pub fn run(args: RetireArgs, context: &Context) -> Result<ExitCode, Failure> {
    let RetireArgs { name, uninstall, yes, time_limit, dry_run, .. } = args;
    let request = match name {
        Some(tool) => {
            let uninstall = uninstall.then_some(UninstallOptions { agreed: yes, limit: time_limit });
            RetireRequest::Tool { tool, uninstall, dry_run }
        }
        None => RetireRequest::Empty { dry_run },
    };
    let consents = |command: &[ReportPath]| {
        let line = command_line::join(command, context.session.system());
        // Somebody who closed standard error can't be asked either.
        let _ = writeln!(anstream::stderr(), "runs {}", view::escape(&line));
        ask::consent()
    };
    context.report(&retire::run(&context.session, &request, &consents)?, view::retire::write)
}
