//! Machines made, callers asked, answers compared.

use std::fs;
use std::io;
use std::path::Path;
use std::time::{Duration, Instant};

use super::answer::LIMIT;
use super::compared::JudgedCaller;
use super::machines::{MadeMachine, Programs, make, make_home};
use super::{unix, windows};
use crate::os;
use crate::progress::Stop;
use crate::resolve::Caller;
use crate::system::System;
use crate::terminal::InstalledShell;

const BATCH: usize = 50;

/// So long a shell may go on answering when no more machines are made.
const GRACE: Duration = Duration::from_secs(15);

#[derive(Debug)]
pub struct Judging<'a> {
    /// An empty folder for the machines, by its real path.
    pub work: &'a Path,
    pub shells: &'a [InstalledShell],
    /// This program: on Windows copies of it say which of them ran.
    pub program: &'a Path,
    /// Where the machines come from: one seed always makes the same.
    pub seed: u64,
    pub machines: usize,
    /// No more are made for which time would not last until then.
    pub until: Option<Instant>,
    pub stop: &'a Stop,
}

impl Judging<'_> {
    /// Whether so much more time would be too much.
    fn is_over_in(&self, time: Duration) -> bool {
        self.stop.requested() || self.until.is_some_and(|until| Instant::now() + time > until)
    }

    /// How long a shell may take.
    fn limit(&self) -> Duration {
        self.until.map_or(LIMIT, |until| LIMIT.min(until.saturating_duration_since(Instant::now()) + GRACE))
    }
}

pub fn judge(judging: &Judging<'_>, system: System) -> io::Result<Vec<JudgedCaller>> {
    let shells = judging.shells.iter().map(|shell| (Caller::from(shell.shell), Some(shell)));
    let callers: Vec<_> = [(Caller::program(system), None)].into_iter().chain(shells).collect();
    let mut judged: Vec<JudgedCaller> = callers.iter().map(|(caller, _)| JudgedCaller::new(*caller)).collect();
    let programs = Programs::new(system, judging.work, judging.program)?;
    let home = judging.work.join("home");
    make_home(&home, system, &programs)?;
    // What the batch before took.
    let mut took = Duration::ZERO;
    for first in (0..judging.machines).step_by(BATCH) {
        if judging.is_over_in(took) {
            break;
        }
        let begun = Instant::now();
        let numbers = first..judging.machines.min(first + BATCH);
        let made: Vec<MadeMachine> = numbers
            .map(|number| {
                let root = judging.work.join(number.to_string());
                let seed = judging.seed.wrapping_add(number as u64);
                make(&root, seed, system, os::is_wine(), &mut |file| programs.put(file))
            })
            .collect::<io::Result<_>>()?;
        for ((caller, shell), judged) in callers.iter().zip(&mut judged) {
            if judging.is_over_in(Duration::ZERO) {
                break;
            }
            let limit = judging.limit();
            let answers = match (system, shell) {
                (System::Unix, None) => Ok(unix::execute(&home, &made, judging.stop)),
                (System::Unix, Some(shell)) => unix::ask(shell, &home, &made, limit, judging.stop),
                (System::Windows, None) => Ok(windows::create_process(&made, programs.copied(), judging.stop)),
                (System::Windows, Some(shell)) => windows::ask(shell, &home, &made, limit, judging.stop),
            };
            match answers {
                Ok(answers) => {
                    let pairs = made.iter().zip(answers).filter_map(|(machine, answer)| Some((machine, answer?)));
                    pairs.for_each(|(machine, answer)| judged.compare(*caller, machine, &answer, &home, system));
                    if judged.compared == 0 {
                        judged.no_answer.get_or_insert_with(|| format!("0 answers to {} questions", made.len()));
                    }
                }
                Err(why) => judged.no_answer = Some(why),
            }
        }
        for machine in made {
            os::retry_while_held(|| fs::remove_dir_all(&machine.root))?;
        }
        took = begun.elapsed();
    }
    Ok(judged)
}
