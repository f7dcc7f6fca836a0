//! `wyard check [NAME…]`

use std::process::ExitCode;

use wagon_yard_core::check::{check, check_path};
use wagon_yard_core::yard::{Card, CardProbe, Yard};

use crate::args::CheckArgs;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view;

/// Checks the named tools, or all in service.
pub fn run(args: CheckArgs, context: &Context) -> Result<ExitCode, Failure> {
    let yard = Yard::of(&context.machine);
    let settings = yard.settings()?;
    if args.all_path {
        let report = check_path(&context.machine, &yard, &settings, !args.no_run, &context.stop)?;
        context.report(&report, view::check::write_path)?;
        return Ok(super::exit_code(report.verdict));
    }
    let (names, runs) = (args.names.clone(), !args.no_run);
    if is_to_be_kept(&args) {
        keep(args, &yard)?;
    }
    let cards: Vec<Card> = if names.is_empty() {
        yard.in_service()?
    } else {
        names.iter().map(|name| yard.find(name)).collect::<Result<_, _>>()?
    };
    let report = check(&context.machine, &yard, &settings, &cards, runs, &context.stop)?;
    context.report(&report, view::check::write)?;
    Ok(super::exit_code(report.verdict))
}

fn is_to_be_kept(args: &CheckArgs) -> bool {
    args.probe.is_some() || args.expect.is_some() || args.usual_probe || args.requires_nothing || needs(args)
}

fn needs(args: &CheckArgs) -> bool {
    !(args.requires.requires_command.is_empty() && args.requires.requires_variable.is_empty())
}

/// Keeps on a tool's card how its commands are to be asked, and what it needs.
fn keep(args: CheckArgs, yard: &Yard) -> Result<(), Failure> {
    let [name] = &args.names[..] else {
        return Err(Failure::new(exit::CALL, "what a card is to say is told of one tool at a time", None));
    };
    let arguments = args.probe.as_deref().map(super::words).transpose()?;
    let name = name.clone();
    yard.change_card(&name, "change what is asked of", |card| {
        if args.usual_probe {
            card.probe = None;
        } else if arguments.is_some() || args.expect.is_some() {
            let before = card.probe.take();
            card.probe = Some(CardProbe {
                arguments: arguments.or_else(|| before.as_ref()?.arguments.clone()),
                expect: args.expect.clone().or_else(|| before?.expect),
            });
        }
        if args.requires_nothing || needs(&args) {
            card.requires = args.requires.into();
        }
    })?;
    Ok(())
}
