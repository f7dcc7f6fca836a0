//! `wyard trial NAME`, `wyard trial add` and `wyard trial drop`

use std::collections::BTreeMap;
use std::fs;
use std::io::{self, Write as _};
use std::process::ExitCode;

use wagon_yard_core::check::{TrialHearer, check_trial, trial};
use wagon_yard_core::progress::Silent;
use wagon_yard_core::yard::{Left, LeftFile, Trial, TrialStep, Yard};

use crate::args::{TrialAction, TrialAddArgs, TrialArgs};
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view::{self, escape};

/// What a card takes of a file, in bytes: trials are small.
const MOST_OF_A_FILE: usize = 64 << 10;

/// Runs a tool's trials, or changes them.
pub fn run(args: TrialArgs, context: &Context) -> Result<ExitCode, Failure> {
    match (args.action, args.name) {
        (Some(TrialAction::Add(add)), _) => keep(new(*add)?, context),
        (Some(TrialAction::Drop { name, title }), _) => drop_one(&name, &title, context),
        (None, Some(name)) => {
            let yard = Yard::of(&context.machine);
            let (card, settings) = (yard.find(&name)?, yard.settings()?);
            let hearer: &dyn TrialHearer = if args.show_output { &Streamed } else { &Silent };
            let report = trial(&context.machine, &settings, &card, args.keep, hearer, &context.stop)?;
            context.report(&report, view::trial::write)?;
            Ok(if report.passed { ExitCode::SUCCESS } else { ExitCode::from(exit::VERDICT) })
        }
        (None, None) => Err(Failure::new(exit::CALL, "no tool is named", Some("'wyard stock' lists them"))),
    }
}

/// Passes on to standard error what programs write.
struct Streamed;

impl TrialHearer for Streamed {
    fn begins(&self, _trial: &str, step: &TrialStep) {
        // Somebody who closed standard error does not want to see it.
        let _ = writeln!(io::stderr(), "$ {}", escape(&shell_words::join(&step.run)));
    }

    fn output(&self, bytes: &[u8]) {
        let text = String::from_utf8_lossy(bytes);
        let lines: Vec<String> = text.split('\n').map(|line| escape(line.trim_end_matches('\r'))).collect();
        let _ = write!(io::stderr(), "{}", lines.join("\n"));
    }
}

/// The tool, and the trial that the options describe.
fn new(args: TrialAddArgs) -> Result<(String, Trial), Failure> {
    let mut files = BTreeMap::new();
    for file in &args.files {
        let refused = |why: String| Failure::new(exit::INPUT, format!("{}: {why}", file.display()), None);
        let text = fs::read_to_string(file).map_err(|e| refused(e.to_string()))?;
        if text.len() > MOST_OF_A_FILE {
            return Err(refused(format!("a card takes files of up to {} KiB", MOST_OF_A_FILE >> 10)));
        }
        let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
        files.insert(name, text);
    }
    let step = |line: &String| Ok(TrialStep { run: super::words(line)?, ..TrialStep::default() });
    let mut steps: Vec<TrialStep> = args.runs.iter().map(step).collect::<Result<_, Failure>>()?;
    if let Some(last) = steps.last_mut() {
        let with = |text: &str| {
            let (file, rest) = text.split_once('=').map_or((text, None), |(file, rest)| (file, Some(rest.to_owned())));
            (file.to_owned(), rest)
        };
        let left = args.leaves.iter().map(|text| {
            let (file, holds) = with(text);
            Left::So(LeftFile { file, not_empty: true, holds, prints: None })
        });
        let programs = args.leaves_program.iter().map(|text| {
            let (file, prints) = with(text);
            Left::So(LeftFile { file, not_empty: true, holds: None, prints: Some(prints.unwrap_or_default()) })
        });
        last.leaves = left.chain(programs).collect();
        (last.status, last.prints, last.matches) = (args.status, args.prints, args.matches);
    }
    let first = steps.remove(0);
    let trial = Trial { name: args.title, files, first, then: steps };
    check_trial(&trial)?;
    Ok((args.name, trial))
}

fn keep((name, trial): (String, Trial), context: &Context) -> Result<ExitCode, Failure> {
    let yard = Yard::of(&context.machine);
    let card = yard.change_card(&name, "add a trial to", |card| {
        card.trials.retain(|other| other.name != trial.name);
        card.trials.push(trial);
    })?;
    context.report(&view::trial::Kept::of(&card), view::trial::write_kept)?;
    Ok(ExitCode::SUCCESS)
}

fn drop_one(name: &str, title: &str, context: &Context) -> Result<ExitCode, Failure> {
    let yard = Yard::of(&context.machine);
    let missing = || {
        let message = format!("{name} has no trial called \"{title}\"");
        Failure::new(exit::CALL, message, Some("its card in the yard's folder 'cards' names them"))
    };
    if !yard.find(name)?.trials.iter().any(|trial| trial.name == title) {
        return Err(missing());
    }
    let card = yard.change_card(name, "drop a trial of", |card| card.trials.retain(|trial| trial.name != title))?;
    context.report(&view::trial::Kept::of(&card), view::trial::write_kept)?;
    Ok(ExitCode::SUCCESS)
}
