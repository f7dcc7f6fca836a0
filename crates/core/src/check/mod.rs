//! The check: in every new terminal each command resolves to ours, starts, and answers with the right version.

mod exit_words;
mod others;
mod probe;
mod report;
mod version_text;

pub use others::versions;
pub use report::{CallerResult, CheckReport, CommandCheck, ToolCheck, Verdict};

use std::path::{Path, PathBuf};
use std::thread;

use crate::error::{Blame, Blamed, FileContext, FileError};
use crate::finding::{Code, Finding};
use crate::machine::{Environment, Machine};
use crate::path;
use crate::process;
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, Kind, same_file};
use crate::terminal::{self, Answer, Asking, NoAnswer, Question, Way};
use crate::yard::{Card, CardProbe, Settings, Yard};

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

/// Checks the tools of these cards. Without `runs` no command is started: what runs is told, not whether it works.
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
    let shells = terminal::installed(&settings.shells);
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let jobs: Vec<Job> = cards.iter().flat_map(|card| Job::of(yard, card)).collect();
    let names: Vec<String> = jobs.iter().map(|job| job.name.clone()).collect();
    let variables: Vec<String> = cards
        .iter()
        .flat_map(|c| c.registration.iter().flat_map(|r| r.home_variables.iter().map(ToString::to_string)))
        .collect();
    let question = Question { commands: &names, variables: &variables };
    let answers = if jobs.is_empty() { Vec::new() } else { asking.everywhere(question) };
    let environment = probe_environment(machine, &answers, &variables);
    let indexed: Vec<(usize, &Job)> = jobs.iter().enumerate().collect();
    // Most of a probe's time is the start of a process, which waits as much as it works.
    let at_a_time = thread::available_parallelism().map_or(2, usize::from) * 2;
    let checked = process::side_by_side(&indexed, at_a_time, |(index, job)| {
        job.check(*index, &answers, runs.then_some(&environment), settings, stop)
    });
    if stop.requested() {
        return Err(CheckError::Interrupted);
    }
    let mut checked =
        checked.into_iter().collect::<std::io::Result<Vec<_>>>().at("run commands in", &std::env::temp_dir())?;
    let mut tools = Vec::new();
    for card in cards {
        let rest = checked.split_off(card.commands.len());
        let commands = std::mem::replace(&mut checked, rest);
        let findings = home_variables(card, &yard.home(&card.name, &card.version), &variables, &answers);
        let of_variables = if findings.is_empty() { Verdict::Good } else { Verdict::Shadowed };
        let verdict = commands.iter().map(|c| c.verdict).chain([of_variables]).max().unwrap_or(Verdict::Good);
        let (name, version) = (card.name.to_string(), card.version.to_string());
        tools.push(ToolCheck { name, version, commands, verdict, findings });
    }
    let verdict = tools.iter().map(|t| t.verdict).max().unwrap_or(Verdict::Good);
    Ok(CheckReport { format: 1, report: "check", tools, verdict })
}

/// The terminals in which a home variable of a registered tool does not lead to it.
fn home_variables(card: &Card, home: &Path, variables: &[String], answers: &[Answer]) -> Vec<Finding> {
    let mut placed = Placed::default();
    for name in card.registration.iter().flat_map(|r| &r.home_variables).map(ToString::to_string) {
        let Some(index) = variables.iter().position(|variable| *variable == name) else { continue };
        for answer in answers {
            let Ok(said) = &answer.said else { continue };
            let value = said.variables[index].as_deref();
            if value.is_some_and(|value| Path::new(value) == home) {
                continue;
            }
            let is = value.map_or("not set".to_owned(), |value| value.to_string_lossy().into_owned());
            let seen = format!("{name} is {is} in a new terminal, and should be {}", home.display());
            let remedy =
                format!("run 'wyard survey': it names the line that sets it, or 'wyard register {}'", card.name);
            placed.add(Finding::new(Code::HomeVariableDiffers, seen).remedy(remedy), place(answer));
        }
    }
    placed.told().collect()
}

/// A terminal, in words.
fn place(answer: &Answer) -> String {
    let shell = answer.shell.name();
    if Way::of(answer.shell).len() == 1 { shell.to_owned() } else { format!("{shell} ({})", answer.way.name()) }
}

/// The environment of a new terminal, for programs: what it begins with, and the PATH and home variables that a login
/// shell answered with.
fn probe_environment(machine: &Machine, answers: &[Answer], variables: &[String]) -> Environment {
    let mut environment = terminal::base_environments(machine).swap_remove(0);
    let said = answers.iter().filter(|a| a.way == Way::LoginCommand).chain(answers).find_map(|a| a.said.as_ref().ok());
    if let Some(said) = said {
        environment.retain(|name, _| !name.eq_ignore_ascii_case("PATH"));
        environment.insert("PATH".into(), said.around.path.clone());
        for (name, value) in variables.iter().zip(&said.variables) {
            if let Some(value) = value {
                environment.insert(name.into(), value.clone());
            }
        }
    }
    environment
}

/// One command to be checked.
struct Job {
    name: String,
    tool: String,
    version: String,
    file: PathBuf,
    probe: Option<CardProbe>,
}

impl Job {
    fn of(yard: &Yard, card: &Card) -> Vec<Self> {
        let home = yard.home(&card.name, &card.version);
        let job = |command: &crate::layout::Command| Self {
            name: command.name.clone(),
            tool: card.name.to_string(),
            version: card.version.to_string(),
            file: home.join(&command.path),
            probe: card.probe.clone(),
        };
        card.commands.iter().map(job).collect()
    }

    fn check(
        &self,
        index: usize,
        answers: &[Answer],
        environment: Option<&Environment>,
        settings: &Settings,
        stop: &Stop,
    ) -> std::io::Result<CommandCheck> {
        let mut findings = Vec::new();
        let mut verdict = Verdict::Good;
        let mut results = Vec::new();
        let mut placed = Placed::default();
        if answers.is_empty() {
            findings.push(Finding::new(Code::NoShell, "no shell was found to prove the command in"));
            verdict = Verdict::NotFound;
        }
        for answer in answers {
            let (result, bad) = self.result(index, answer);
            results.push(result);
            if let Some((worse, finding)) = bad {
                verdict = verdict.max(worse);
                placed.add(finding, place(answer));
            }
        }
        findings.extend(placed.told());
        let other = results.iter().find(|r| !r.ours && r.winner.is_some()).and_then(|r| r.winner.clone());
        let ours = results.iter().any(|r| r.ours).then(|| self.file.clone());
        let winner = other.or(ours);
        let mut answered_version = None;
        if let Some(environment) = environment {
            let probed = self.probe(winner.as_deref().unwrap_or(&self.file), environment, settings, stop)?;
            // What another copy says of itself is shown, but the verdict is about ours.
            if winner.as_ref().is_none_or(|winner| *winner == self.file) {
                verdict = verdict.max(probed.verdict);
                findings.extend(probed.findings);
            }
            answered_version = probed.version;
        }
        findings.extend(self.hides(answers));
        let name = self.name.clone();
        Ok(CommandCheck { name, verdict, answered_version, winner, caller_results: results, findings })
    }

    /// Asks a program for its version, in the way that its card says.
    fn probe(
        &self,
        program: &Path,
        environment: &Environment,
        settings: &Settings,
        stop: &Stop,
    ) -> std::io::Result<probe::Probed> {
        let set = self.probe.as_ref().and_then(|probe| probe.arguments.as_ref());
        let arguments: Vec<&str> = set.into_iter().flatten().map(String::as_str).collect();
        let target = probe::Target {
            program,
            names: [&self.name, &self.tool],
            expected: &self.version,
            forms: if set.is_some() { &[&arguments] } else { &probe::FORMS },
            expects: self.probe.as_ref().and_then(|probe| probe.expect.as_deref()),
        };
        probe::probe(&target, environment, settings.probe_limit(), stop)
    }

    fn result(&self, index: usize, answer: &Answer) -> (CallerResult, Option<(Verdict, Finding)>) {
        let caller = Caller::from(answer.shell);
        let mut result = CallerResult {
            caller,
            way: answer.way,
            terminal: "new",
            proved: answer.said.is_ok(),
            winner: None,
            kind: Kind::None,
            ours: false,
            milliseconds: u64::try_from(answer.took.as_millis()).unwrap_or(u64::MAX),
        };
        let said = match &answer.said {
            Ok(said) => said,
            Err(why) => {
                let seen = format!("a new terminal gave no answer: {}", no_answer(why, answer));
                let finding = Finding::new(Code::NoTerminalAnswer, seen).remedy(
                    "look at that shell's startup files: something in them waits, ends the shell, or starts another",
                );
                return (result, Some((Verdict::NotFound, finding)));
            }
        };
        let meaning = &said.meanings[index];
        result.kind = meaning.kind;
        let name = &self.name;
        let bad = match (meaning.kind, &meaning.file) {
            (Kind::File, Some(file)) => {
                result.winner = Some(file.clone());
                result.ours = same_file(file, &self.file);
                (!result.ours).then(|| {
                    let seen = format!("{name} is {} in a new terminal", file.display());
                    let look = || format!("run 'wyard trace {name}' to see what puts that folder first");
                    let remedy = path::mend(name, &self.file, &said.around).unwrap_or_else(look);
                    (Verdict::Shadowed, Finding::new(Code::Shadowed, seen).remedy(remedy))
                })
            }
            (Kind::Alias | Kind::Function | Kind::Builtin, _) => {
                let what = match meaning.kind {
                    Kind::Alias => "an alias",
                    Kind::Function => "a function",
                    _ => "built into the shell",
                };
                let seen = format!("{name} is {what}, which answers before any file");
                Some((Verdict::Shadowed, Finding::new(Code::HiddenByShell, seen)))
            }
            (Kind::File | Kind::None, _) => {
                let seen = format!("a new terminal does not find {name}");
                let remedy = format!("run 'wyard register {}'", self.tool);
                Some((Verdict::NotFound, Finding::new(Code::NotFound, seen).remedy(remedy)))
            }
        };
        (result, bad)
    }

    /// The copies elsewhere in PATH that ours comes before.
    fn hides(&self, answers: &[Answer]) -> Option<Finding> {
        let (shell, said) = answers.iter().find_map(|a| Some((a.shell, a.said.as_ref().ok()?)))?;
        let candidates = resolve::candidates(Caller::from(shell), &self.name, &said.around, &Disk);
        let first = resolve::winner(&candidates).filter(|w| same_file(w, &self.file))?;
        let mut others: Vec<&Path> = Vec::new();
        for candidate in candidates.iter().filter(|c| c.standing == resolve::Standing::Shadowed) {
            if !same_file(&candidate.path, first) && !others.iter().any(|o| same_file(o, &candidate.path)) {
                others.push(&candidate.path);
            }
        }
        if others.is_empty() {
            return None;
        }
        let others: Vec<String> = others.iter().map(|path| path.display().to_string()).collect();
        let seen = format!("{} now comes before {}", self.name, others.join(", "));
        Some(Finding::new(Code::HidesOther, seen))
    }
}

/// Findings with the terminals they were made in, so that the same thing is told once.
#[derive(Default)]
struct Placed(Vec<(Finding, Vec<String>)>);

impl Placed {
    fn add(&mut self, finding: Finding, place: String) {
        match self.0.iter_mut().find(|(f, _)| *f == finding) {
            Some((_, places)) if places.contains(&place) => {}
            Some((_, places)) => places.push(place),
            None => self.0.push((finding, vec![place])),
        }
    }

    fn told(self) -> impl Iterator<Item = Finding> {
        self.0.into_iter().map(|(finding, places)| {
            let seen = format!("{}: {}", finding.seen, places.join(", "));
            Finding { seen, ..finding }
        })
    }
}

fn no_answer(why: &NoAnswer, answer: &Answer) -> String {
    match why {
        NoAnswer::TimedOut => format!("its startup files took longer than {} s", answer.took.as_secs()),
        NoAnswer::Ended(line) if line.is_empty() => "the shell ended before it could be asked".to_owned(),
        NoAnswer::Ended(line) => format!("the shell ended before it could be asked, saying \"{line}\""),
        NoAnswer::NotStarted(error) => format!("the shell could not be started: {error}"),
        NoAnswer::Interrupted => "interrupted".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_finding_is_told_once_with_all_its_terminals() {
        let mut placed = Placed::default();
        for (seen, place) in [("x", "bash (login)"), ("x", "bash (login)"), ("x", "zsh (login)"), ("y", "sh (login)")] {
            placed.add(Finding::new(Code::NotFound, seen), place.to_owned());
        }
        let seen: Vec<_> = placed.told().map(|f| f.seen).collect();
        assert_eq!(seen, ["x: bash (login), zsh (login)", "y: sh (login)"]);
    }
}
