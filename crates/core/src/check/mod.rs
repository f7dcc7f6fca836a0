//! The check: in every new terminal each command resolves to ours, starts, and answers with the right version.

mod all_path;
mod command;
mod exit_words;
mod others;
mod placed;
mod probe;
mod report;
mod starting;
mod tool;
mod trial;
mod version_text;

use std::thread;

pub use all_path::check_path;
pub(crate) use all_path::system_folders;
use command::Job;
pub use others::versions;
pub use report::{CallerResult, CheckReport, CommandCheck, Requirement, ToolCheck, Verdict};
pub(crate) use starting::last_words;
use tool::Asked;
pub use trial::{StepResult, TrialError, TrialHearer, TrialReport, TrialResult, Unmet, check as check_trial, trial};

use crate::error::{Blame, Blamed, FileContext, FileError};
use crate::finding::Severity;
use crate::machine::{Environment, Machine};
use crate::process;
use crate::progress::Stop;
use crate::terminal::{self, Answer, Asking, Question, Way, base_environments};
use crate::yard::{Card, Settings, Yard};

/// Why no check could be made.
#[derive(Debug, thiserror::Error)]
pub enum CheckError {
    /// There is no scratch folder to run commands in.
    #[error(transparent)]
    Scratch(#[from] FileError),
    /// The user asked to stop.
    #[error("interrupted; nothing was changed by the check")]
    Interrupted,
}

impl Blamed for CheckError {
    fn blame(&self) -> Blame {
        match self {
            Self::Scratch(e) => e.blame(),
            Self::Interrupted => Blame::Interrupted,
        }
    }
}

/// Checks the tools of these cards. Without `runs` no command is started: what runs is told, not whether it works. The
/// way in which a command has stated its version is remembered on its card, where nobody else is writing.
///
/// # Errors
/// When there is no place to run commands in, or the user asked to stop. A bad verdict is no error.
pub fn check(
    machine: &Machine,
    yard: &Yard,
    settings: &Settings,
    cards: &[Card],
    runs: bool,
    stop: &Stop,
) -> Result<CheckReport, CheckError> {
    let jobs: Vec<Job> = cards.iter().flat_map(|card| Job::of(yard, card)).collect();
    let of_tools = jobs.iter().map(|job| job.name.clone());
    let commands: Vec<String> = of_tools.chain(cards.iter().flat_map(|c| c.requires.commands.clone())).collect();
    let homes = cards.iter().flat_map(|c| c.registration.iter().flat_map(|r| &r.home_variables));
    let needed = cards.iter().flat_map(|card| &card.requires.variables);
    let variables: Vec<String> = homes.chain(needed).map(ToString::to_string).collect();
    let round = Round::new(machine, settings, Question { commands: &commands, variables: &variables }, runs, stop);
    let asked = Asked { commands: &commands, variables: &variables, answers: &round.answers };
    let mut checked = round.commands(&jobs)?;
    let unknown_shell = terminal::unknown_login_shell(machine, settings);
    let of_shell = unknown_shell.as_ref().map(|_| Verdict::NotFound);
    let mut tools = Vec::new();
    for card in cards {
        let rest = checked.split_off(card.commands.len());
        let commands = std::mem::replace(&mut checked, rest);
        let mut findings = tool::home_variables(card, &yard.home_of(card), &asked);
        let of_variables = match findings.iter().any(|f| f.severity == Severity::Problem) {
            true => Verdict::Shadowed,
            false => Verdict::Good,
        };
        findings.extend(unknown_shell.clone());
        findings.extend(tool::companions(&commands));
        let (requirements, lacking) = tool::requirements(card, &asked, round.environment.as_ref(), settings, stop);
        findings.extend(lacking);
        let needs = requirements.iter().map(|r| r.verdict);
        let verdict = commands.iter().map(|c| c.verdict).chain([of_variables]).chain(of_shell).chain(needs).max();
        let verdict = verdict.unwrap_or(Verdict::Good);
        let (name, version) = (card.name.to_string(), card.version.to_string());
        tools.push(ToolCheck { name, version, commands, verdict, requirements, findings });
    }
    if stop.requested() {
        return Err(CheckError::Interrupted);
    }
    remember(yard, cards, &tools);
    Ok(CheckReport::of(tools))
}

/// One asking of all new terminals, and what is run in the environment of one.
struct Round<'a> {
    answers: Vec<Answer>,
    environment: Option<Environment>,
    settings: &'a Settings,
    stop: &'a Stop,
}

impl<'a> Round<'a> {
    fn new(machine: &Machine, settings: &'a Settings, question: Question<'_>, runs: bool, stop: &'a Stop) -> Self {
        if question.commands.is_empty() {
            return Self { answers: Vec::new(), environment: None, settings, stop };
        }
        let shells = terminal::installed(machine, &settings.shells);
        let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
        let (answers, environment) = thread::scope(|scope| {
            let environment = runs.then(|| scope.spawn(|| asking.environment()));
            let answers = asking.everywhere(question);
            (answers, environment.and_then(|thread| thread.join().ok().flatten()))
        });
        let environment = runs.then(|| environment.unwrap_or_else(|| fallback(machine, &answers)));
        Self { answers, environment, settings, stop }
    }

    /// Checks commands; the terminals were asked about the first of them first, and so on.
    fn commands(&self, jobs: &[Job]) -> Result<Vec<CommandCheck>, CheckError> {
        let indexed: Vec<(usize, &Job)> = jobs.iter().enumerate().collect();
        // Most of a probe's time is the start of a process, which waits as much as it works.
        let at_a_time = thread::available_parallelism().map_or(2, usize::from) * 2;
        let checked = process::side_by_side(&indexed, at_a_time, |(index, job)| {
            job.check(*index, &self.answers, self.environment.as_ref(), self.settings, self.stop)
        });
        if self.stop.requested() {
            return Err(CheckError::Interrupted);
        }
        let checked = checked.into_iter().collect::<std::io::Result<Vec<_>>>();
        Ok(checked.at("run commands in", &std::env::temp_dir())?)
    }
}

/// Where no shell hands on its whole environment: what a terminal begins with, and the PATH that one answered with.
fn fallback(machine: &Machine, answers: &[Answer]) -> Environment {
    let mut environment = base_environments(machine).swap_remove(0);
    let said = answers.iter().filter(|a| a.way == Way::LoginCommand).chain(answers).find_map(|a| a.said.as_ref().ok());
    if let Some(said) = said {
        environment.retain(|name, _| !name.eq_ignore_ascii_case("PATH"));
        environment.insert("PATH".into(), said.around.path.clone());
    }
    environment
}

/// Keeps on the cards with which arguments commands have stated their version. It only saves time, so that whatever is in
/// the way is left for another check.
fn remember(yard: &Yard, cards: &[Card], tools: &[ToolCheck]) {
    let learned = |(card, tool): (&Card, &ToolCheck)| {
        let known = |c: &CommandCheck| c.form.as_ref().is_none_or(|form| card.answers.get(&c.name) == Some(form));
        !tool.commands.iter().all(known)
    };
    if !cards.iter().zip(tools).any(learned) {
        return;
    }
    let Some(lock) = yard.lock_at_once() else { return };
    for (card, tool) in cards.iter().zip(tools).filter(|pair| learned(*pair)) {
        // Read again: somebody may have written since.
        let Ok(mut card) = yard.find(&format!("{}@{}", card.name, card.version)) else { continue };
        let forms = tool.commands.iter().filter_map(|c| Some((c.name.clone(), c.form.clone()?)));
        card.answers.extend(forms);
        if let Err(error) = lock.remember_answers(&card) {
            tracing::info!(%error, "how the commands answered is not kept");
        }
    }
}
