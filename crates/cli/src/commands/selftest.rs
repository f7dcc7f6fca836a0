//! `wyard selftest`

use std::process::ExitCode;
use std::time::Duration;

use wagon_yard_core::jobs::selftest::{self, SelfTestRequest};

use crate::args::SelfTestArgs;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view::{self, Page};

pub fn run(args: SelfTestArgs, context: &Context) -> Result<ExitCode, Failure> {
    let program = std::env::current_exe()
        .map_err(|e| Failure::new(exit::MACHINE, format!("the program's own file is not known: {e}"), None))?;
    let version = env!("CARGO_PKG_VERSION").to_owned();
    let SelfTestArgs { into, seed, minutes } = args;
    let limit = Duration::from_secs(60) * minutes;
    let request = SelfTestRequest { into: into.clone(), seed, limit, program, version };
    let tell = |stage: &'static str| {
        if !context.global.quiet && !context.global.json {
            // Somebody who closed standard error does not want to be told.
            let _ = Page::of_error_terminal().labelled(&mut anstream::stderr(), "", 0, &format!("{stage} \u{2026}"));
        }
    };
    let report = selftest::run(&context.session, &request, &tell)?;
    context.report(&report, |report, page, out| view::selftest::write(report, into.as_deref(), page, out))
}
