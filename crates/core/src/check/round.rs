//! One asking of all new terminals, and what is run in the environment of one.

use std::thread;

use super::command::Subject;
use super::error::CheckError;
use super::report::CommandCheck;
use crate::environment::Environment;
use crate::error::FileContext as _;
use crate::machine::Machine;
use crate::process;
use crate::session::Session;
use crate::terminal::{Answer, Question, StartMode, base_environments};
use crate::yard::Settings;

/// One asking of all new terminals, and what is run in the environment of one.
pub(super) struct Round<'a> {
    /// What the terminals said.
    pub answers: Vec<Answer>,
    /// The environment of one; `None` where nothing is to be run.
    pub environment: Option<Environment>,
    /// The limits.
    pub settings: &'a Settings,
    session: &'a Session,
}

impl<'a> Round<'a> {
    pub fn new(session: &'a Session, question: Question<'_>, runs: bool) -> Result<Self, CheckError> {
        let settings = session.settings()?;
        if question.commands.is_empty() {
            return Ok(Self { answers: Vec::new(), environment: None, settings, session });
        }
        let asking = session.asking()?;
        let (answers, environment) = thread::scope(|scope| {
            let environment = runs.then(|| scope.spawn(|| asking.environment()));
            let answers = asking.everywhere(question);
            (answers, environment.and_then(|thread| thread.join().ok().flatten()))
        });
        let environment = runs.then(|| environment.unwrap_or_else(|| fallback(&session.machine, &answers)));
        Ok(Self { answers, environment, settings, session })
    }

    /// Checks commands, in their order.
    pub fn commands(&self, subjects: &[Subject]) -> Result<Vec<CommandCheck>, CheckError> {
        // Most of a probe's time is the start of a process, which waits as much as it works.
        let at_a_time = thread::available_parallelism().map_or(2, usize::from) * 2;
        let stop = &self.session.stop;
        let checked = process::side_by_side(subjects, at_a_time, |subject| {
            subject.check(&self.answers, self.environment.as_ref(), self.settings, stop)
        });
        if stop.requested() {
            return Err(CheckError::Interrupted);
        }
        let checked = checked.into_iter().collect::<std::io::Result<Vec<_>>>();
        Ok(checked.at("run commands in", &std::env::temp_dir())?)
    }
}

/// Where no shell hands on its whole environment: what a terminal begins with, and the PATH that one answered with.
fn fallback(machine: &Machine, answers: &[Answer]) -> Environment {
    let mut environment = base_environments(machine).swap_remove(0);
    let of_login = answers.iter().filter(|a| a.mode == StartMode::LoginCommand);
    if let Some(said) = of_login.chain(answers).find_map(|a| a.said.as_ref().ok()) {
        environment.set("PATH", said.context.path.clone());
    }
    environment
}
