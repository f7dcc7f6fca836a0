//! `wyard check [NAME…]`

use std::process::ExitCode;

use wagon_yard_core::check::check;
use wagon_yard_core::yard::{Card, CardProbe, Yard};

use crate::args::CheckArgs;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view;

/// Checks the named tools, or all in service.
pub fn run(args: &CheckArgs, context: &Context) -> Result<ExitCode, Failure> {
    let yard = Yard::at(&context.machine.yard);
    let settings = yard.settings()?;
    if args.probe.is_some() || args.expect.is_some() || args.usual_probe {
        keep(args, &yard)?;
    }
    let cards: Vec<Card> = if args.names.is_empty() {
        yard.in_service()?
    } else {
        args.names.iter().map(|name| yard.find(name)).collect::<Result<_, _>>()?
    };
    let report = check(&context.machine, &yard, &settings, &cards, !args.no_run, &context.stop)?;
    context.report(&report, view::check::write)?;
    Ok(super::exit_code(report.verdict))
}

/// Keeps on a tool's card how its commands are to be asked.
fn keep(args: &CheckArgs, yard: &Yard) -> Result<(), Failure> {
    let [name] = &args.names[..] else {
        return Err(Failure::new(exit::CALL, "how to ask is kept for one tool at a time", None));
    };
    yard.find(name)?;
    let _lock = yard.lock()?;
    let mut card = yard.find(name)?;
    let before = card.probe.take();
    if !args.usual_probe {
        let arguments = args.probe.as_ref().map(|text| text.split_whitespace().map(str::to_owned).collect());
        card.probe = Some(CardProbe {
            arguments: arguments.or_else(|| before.as_ref()?.arguments.clone()),
            expect: args.expect.clone().or_else(|| before?.expect),
        });
    }
    Ok(yard.write_card(&card)?)
}
