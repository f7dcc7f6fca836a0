//! `wyard trial NAME`, `wyard trial add` and `wyard trial drop`

use std::collections::BTreeMap;
use std::fs;
use std::io::{self, Write as _};
use std::process::ExitCode;

use wagon_yard_core::check::TrialObserver;
use wagon_yard_core::jobs::trial::{self, TrialRequest};
use wagon_yard_core::process::command_line;
use wagon_yard_core::progress::Silent;
use wagon_yard_core::system::System;
use wagon_yard_core::yard::{Left, LeftFile, Trial, TrialStep};

use crate::args::{TrialAction, TrialAddArgs, TrialArgs};
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view::{self, escape};

/// What a card takes of a file, in bytes: trials are small.
const MOST_OF_A_FILE: usize = 64 << 10;

pub fn run(args: TrialArgs, context: &Context) -> Result<ExitCode, Failure> {
    let request = match (args.action, args.name) {
        (Some(TrialAction::Add(add)), _) => new(*add)?,
        (Some(TrialAction::Drop { name: tool, title, dry_run }), _) => TrialRequest::Drop { tool, title, dry_run },
        (None, Some(tool)) => TrialRequest::Run { tool, keep: args.keep },
        (None, None) => {
            return Err(Failure::new(exit::CALL, "no tool given", Some("to list them: wyard stock")));
        }
    };
    let observer: &dyn TrialObserver = if args.show_output { &Streamed(context.session.system()) } else { &Silent };
    context.report(&trial::run(&context.session, &request, observer)?, view::trial::write)
}

/// Passes on to standard error what programs write.
struct Streamed(System);

impl TrialObserver for Streamed {
    fn begins(&self, _trial: &str, step: &TrialStep) {
        // Somebody who closed standard error does not want to see it.
        let _ = writeln!(io::stderr(), "$ {}", escape(&command_line::join(&step.run, self.0)));
    }

    fn output(&self, bytes: &[u8]) {
        let text = String::from_utf8_lossy(bytes);
        let lines: Vec<String> = text.split('\n').map(|line| escape(line.trim_end_matches('\r'))).collect();
        let _ = write!(io::stderr(), "{}", lines.join("\n"));
    }
}

fn new(args: TrialAddArgs) -> Result<TrialRequest, Failure> {
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
    let step = |line: &String| Ok(TrialStep { run: super::words::words(line)?, ..TrialStep::default() });
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
    Ok(TrialRequest::Add { tool: args.name, trial: Box::new(trial), dry_run: args.dry_run })
}
