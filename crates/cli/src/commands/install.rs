//! `wyard receive INSTALLER`

use std::io::{self, BufRead as _, IsTerminal as _, Write as _};
use std::path::PathBuf;
use std::process::ExitCode;

use wagon_yard_core::check::Verdict;
use wagon_yard_core::installer::{InstallRequest, install, plan};

use crate::args::ReceiveArgs;
use crate::context::Context;
use crate::failure::{Failure, OutputError, exit};
use crate::view::{self, Page};

/// Runs an installer under watch, with the user's say.
pub fn run(args: ReceiveArgs, context: &Context) -> Result<ExitCode, Failure> {
    let request = InstallRequest {
        file: args.file,
        trust: args.checksums.into(),
        arguments: args.installer.arguments,
        folder: args.installer.installer_folder,
        system_install: args.installer.system_install,
        watch: args.installer.watch,
        limit: args.installer.time.limit(),
        home_variables: args.tool.home_variables(),
        name: args.tool.name,
        version: args.tool.version,
        command_folders: args.tool.command_folders,
        scope: context.machine.scope,
        or_undo: args.or_undo,
    };
    let plan = plan(&context.machine, &request, &context.stop)?;
    if args.dry_run {
        context.report(&plan, view::install::write_plan)?;
        return Ok(ExitCode::SUCCESS);
    }
    if !context.global.quiet && !context.global.json {
        let page = Page::of_terminal().at_home(&context.machine.home);
        view::install::write_plan(&plan, &page, &mut anstream::stdout()).map_err(OutputError)?;
    }
    if !args.installer.yes {
        ask()?;
    }
    let report = install(&context.machine, &request, plan, &which, &context.stop)?;
    context.report(&report, view::install::write)?;
    let handed_on = args.installer.system_install && report.well;
    let good = handed_on || report.adopted.as_ref().and_then(|adopted| adopted.verdict).is_some_and(Verdict::passes);
    Ok(if good { ExitCode::SUCCESS } else { ExitCode::from(exit::VERDICT) })
}

/// Asks which of several folders is meant, until the answer is one of them or none; without a terminal nobody can be
/// asked.
fn which(folders: &[PathBuf]) -> Option<usize> {
    if !(io::stdin().is_terminal() && io::stderr().is_terminal()) {
        return None;
    }
    let mut out = io::stderr();
    writeln!(out, "Commands are in several folders:").ok()?;
    for (at, folder) in folders.iter().enumerate() {
        writeln!(out, "  {}  {}", at + 1, view::escape(&folder.to_string_lossy())).ok()?;
    }
    loop {
        write!(out, "Which one is the tool? [1-{}, nothing for none] ", folders.len()).ok()?;
        let mut line = String::new();
        if io::stdin().lock().read_line(&mut line).ok()? == 0 || line.trim().is_empty() {
            return None;
        }
        let at = line.trim().parse::<usize>().ok().and_then(|number| number.checked_sub(1));
        if let Some(at) = at.filter(|at| *at < folders.len()) {
            return Some(at);
        }
    }
}

/// Asks whether to run it. Without a terminal nobody can be asked.
pub(super) fn ask() -> Result<(), Failure> {
    let refused = |message: &str, next| Err(Failure::new(exit::CALL, message, next));
    if !(io::stdin().is_terminal() && io::stderr().is_terminal()) {
        return refused(
            "an installer is run only with a yes, and nobody can be asked here",
            Some("give it with --yes"),
        );
    }
    let mut line = String::new();
    let asked = write!(io::stderr(), "Run it? [y/N] ").and_then(|()| io::stdin().lock().read_line(&mut line));
    match asked {
        Ok(_) if matches!(line.trim(), "y" | "Y" | "yes") => Ok(()),
        _ => refused("not run, and nothing was changed", None),
    }
}
