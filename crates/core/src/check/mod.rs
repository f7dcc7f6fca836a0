//! The check: in every new terminal each command resolves to ours, starts, and answers with the right version.

mod exit_words;
mod others;
mod probe;
mod version_text;

pub use others::versions;

use std::path::{Path, PathBuf};
use std::thread;

use serde::Serialize;

use crate::error::{Blame, Blamed, FileContext, FileError};
use crate::finding::{Code, Finding};
use crate::machine::{Environment, Machine};
use crate::path;
use crate::process;
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, Kind, same_file};
use crate::terminal::{self, Answer, Asking, NoAnswer, Question, Way};
use crate::yard::{Card, Settings, Yard};

/// What a check says of a command, from best to worst.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Verdict {
    /// It resolves, starts, and states the right version or none.
    Good,
    /// It resolves and starts, and complains.
    StartedWithError,
    /// It states another version.
    WrongVersion,
    /// Another copy, or the shell itself, answers in a new terminal.
    Shadowed,
    /// It cannot be started.
    DoesNotStart,
    /// A new terminal does not find it, or could not be asked.
    NotFound,
}

impl Verdict {
    /// All verdicts, from best to worst.
    pub const ALL: [Self; 6] =
        [Self::Good, Self::StartedWithError, Self::WrongVersion, Self::Shadowed, Self::DoesNotStart, Self::NotFound];

    /// The stable text.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Good => "good",
            Self::StartedWithError => "started-with-error",
            Self::WrongVersion => "wrong-version",
            Self::Shadowed => "shadowed",
            Self::DoesNotStart => "does-not-start",
            Self::NotFound => "not-found",
        }
    }

    /// Whether the command works in a new terminal: an error message proves that it starts.
    #[must_use]
    pub fn passes(self) -> bool {
        self <= Self::StartedWithError
    }
}

/// What one caller in one kind of new terminal makes of a command.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CallerResult {
    /// Who looked it up.
    pub caller: Caller,
    /// How the shell was started.
    pub way: Way,
    /// Always `new`.
    pub terminal: &'static str,
    /// Whether the shell itself was asked.
    pub proved: bool,
    /// The file that runs; null where none does.
    pub winner: Option<PathBuf>,
    /// What answers.
    pub kind: Kind,
    /// Whether that is the file in the yard.
    pub ours: bool,
    /// How long the shell took to start, in milliseconds.
    pub milliseconds: u64,
}

/// The check of one command.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CommandCheck {
    /// The command.
    pub name: String,
    /// What is to be thought of it.
    pub verdict: Verdict,
    /// The version that what runs has stated.
    pub answered_version: Option<String>,
    /// The file that runs.
    pub winner: Option<PathBuf>,
    /// Caller by caller.
    pub caller_results: Vec<CallerResult>,
    /// What is worth telling.
    pub findings: Vec<Finding>,
}

/// The check of one tool.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ToolCheck {
    /// The tool.
    pub name: String,
    /// The version the card states.
    pub version: String,
    /// Its commands.
    pub commands: Vec<CommandCheck>,
    /// The worst verdict of them.
    pub verdict: Verdict,
}

/// The report of `check`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CheckReport {
    /// The format number.
    pub format: u32,
    /// `check`.
    pub report: &'static str,
    /// Tool by tool.
    pub tools: Vec<ToolCheck>,
    /// The worst verdict of them.
    pub verdict: Verdict,
}

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

/// Checks the tools of these cards.
///
/// # Errors
/// When there is no place to run commands in, or the user asked to stop. A bad verdict is no error.
pub fn check(
    machine: &Machine,
    yard: &Yard,
    settings: &Settings,
    cards: &[Card],
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
        job.check(*index, &answers, &environment, settings, stop)
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
        let verdict = commands.iter().map(|c| c.verdict).max().unwrap_or(Verdict::Good);
        tools.push(ToolCheck { name: card.name.to_string(), version: card.version.to_string(), commands, verdict });
    }
    let verdict = tools.iter().map(|t| t.verdict).max().unwrap_or(Verdict::Good);
    Ok(CheckReport { format: 1, report: "check", tools, verdict })
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
}

impl Job {
    fn of(yard: &Yard, card: &Card) -> Vec<Self> {
        let home = yard.home(&card.name, &card.version);
        let job = |command: &crate::layout::Command| Self {
            name: command.name.clone(),
            tool: card.name.to_string(),
            version: card.version.to_string(),
            file: home.join(&command.path),
        };
        card.commands.iter().map(job).collect()
    }

    fn check(
        &self,
        index: usize,
        answers: &[Answer],
        environment: &Environment,
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
                let shell = answer.shell.name();
                let one_way = Way::of(answer.shell).len() == 1;
                placed
                    .add(finding, if one_way { shell.to_owned() } else { format!("{shell} ({})", answer.way.name()) });
            }
        }
        findings.extend(placed.told());
        let other = results.iter().find(|r| !r.ours && r.winner.is_some()).and_then(|r| r.winner.clone());
        let ours = results.iter().any(|r| r.ours).then(|| self.file.clone());
        let winner = other.or(ours);
        let target = probe::Target {
            program: winner.as_deref().unwrap_or(&self.file),
            names: [&self.name, &self.tool],
            expected: &self.version,
            forms: &probe::FORMS,
        };
        let probed = probe::probe(&target, environment, settings.probe_limit(), stop)?;
        // What another copy says of itself is shown, but the verdict is about ours.
        if target.program == self.file {
            verdict = verdict.max(probed.verdict);
            findings.extend(probed.findings);
        }
        findings.extend(self.hides(answers));
        let (name, answered_version) = (self.name.clone(), probed.version);
        Ok(CommandCheck { name, verdict, answered_version, winner, caller_results: results, findings })
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
    fn verdicts_stand_in_order() {
        assert!(Verdict::ALL.is_sorted());
        let texts: std::collections::HashSet<_> = Verdict::ALL.iter().map(|v| v.as_str()).collect();
        assert_eq!(texts.len(), Verdict::ALL.len());
        assert_eq!(Verdict::ALL.map(Verdict::passes), [true, true, false, false, false, false]);
    }

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
