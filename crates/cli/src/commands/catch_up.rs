//! `wyard catch-up SHELL`

use std::io::{self, IsTerminal as _, Write as _};
use std::process::ExitCode;

use wagon_yard_core::jobs::catch_up::{self, CatchUpLines, ReadAs};
use wagon_yard_core::os;
use wagon_yard_core::report::Report;
use wagon_yard_core::resolve::Shell;
use wagon_yard_core::shells::catch_up_rules;

use crate::args::CatchUpArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view::Page;

pub fn run(args: &CatchUpArgs, context: &Context) -> Result<ExitCode, Failure> {
    let read_as = if os::output_is_file() { ReadAs::File } else { ReadAs::Lines };
    let report = catch_up::run(&context.session, args.shell, read_as)?;
    let code = context.report(&report, write)?;
    if io::stdout().is_terminal() && !context.global.json && !context.global.quiet {
        let told = if report.lines.is_empty() {
            "This terminal is up to date.".to_owned()
        } else {
            format!("To run them: {}", catch_up_rules(args.shell).call)
        };
        let _ = writeln!(anstream::stderr(), "{told}");
    }
    Ok(code)
}

fn write(report: &Report<CatchUpLines>, _page: &Page, out: &mut dyn io::Write) -> io::Result<()> {
    // For a shell to read, not for people: nothing is escaped or broken.
    if report.shell == Shell::Cmd && !io::stdout().is_terminal() {
        let mut out = io::stdout();
        let lines = report.lines.iter().filter_map(|line| os::in_console_code_page(&format!("{line}\r\n")));
        return lines.into_iter().try_for_each(|line| out.write_all(&line));
    }
    report.lines.iter().try_for_each(|line| writeln!(out, "{line}"))
}
