//! Running trials: small real work in a scratch folder, in the environment of a new terminal.

use std::fs;
use std::io;
use std::path::{Component, Path, PathBuf};
use std::time::Duration;

use regex_lite::Regex;
use serde::Serialize;

use super::place::Place;
use super::starting::{self, Startable};
use super::version_text::text_of;
use crate::environment::Environment;
use crate::error::{FileContext as _, classified};
use crate::given;
use crate::process::{self, Ending, Outcome};
use crate::progress::Stop;
use crate::report::ReportPath;
use crate::resolve::{self, Caller, Disk, LookupContext};
use crate::session::{JobError, Session};
use crate::yard::{Card, LeftFile, Trial, TrialStep};

/// How much of an output is told where it is not as expected, in lines and characters.
const TOLD: (usize, usize) = (6, 600);

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct TrialResult {
    pub tool: String,
    pub version: String,
    pub name: String,
    pub passed: bool,
    /// The steps that were made; none follows one that failed.
    pub steps: Vec<StepResult>,
    pub folder: Option<ReportPath>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct StepResult {
    pub run: Vec<String>,
    /// The file that ran; null where none was found.
    pub program: Option<ReportPath>,
    /// Its exit status; null where it did not end by itself.
    pub status: Option<i32>,
    /// How long it took, in milliseconds.
    pub milliseconds: u64,
    /// What was expected and did not come; empty where all is well.
    pub unmet: Vec<Unmet>,
}

/// An expectation that was not met.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Unmet {
    pub expected: String,
    pub came: String,
}

#[derive(Debug, thiserror::Error)]
pub enum TrialError {
    #[error("{0} has no trials")]
    None(String),
    #[error("the trial \"{trial}\" names the file \"{file}\", which is outside its folder")]
    Place { trial: String, file: String },
    #[error("the trial \"{trial}\" has an invalid expression: {source}")]
    Expression { trial: String, source: regex_lite::Error },
    #[error("interrupted; the trial's folder was removed")]
    Interrupted,
}

classified!(TrialError {
    Self::None(tool) => Call, format!("to add one: wyard trial add {tool} --title TEXT --run \"COMMAND …\"");
    Self::Place { .. } => Call, "use a relative path without ..";
    Self::Expression { .. } => Call;
    Self::Interrupted => Interrupted;
});

pub trait TrialObserver {
    fn begins(&self, _trial: &str, _step: &TrialStep) {}
    fn output(&self, _bytes: &[u8]) {}
}

impl TrialObserver for crate::progress::Silent {}

/// Runs the trials of a tool, each in a folder of its own; with `keep` those stay.
///
/// # Errors
/// When there is none, or it cannot be run at all. A trial that fails is no error.
pub fn trial(
    session: &Session,
    card: &Card,
    keep: bool,
    observer: &dyn TrialObserver,
) -> Result<Vec<TrialResult>, JobError> {
    if card.trials.is_empty() {
        return Err(TrialError::None(card.name.to_string()).into());
    }
    card.trials.iter().try_for_each(check)?;
    let environment = session.environment().map_err(|error| match error.is_interruption() {
        true => TrialError::Interrupted.into(),
        false => error,
    })?;
    let limit = session.settings()?.trial_limit();
    let mut trials = Vec::new();
    for trial in &card.trials {
        let scratch = starting::scratch("trial").at("make a folder in", &std::env::temp_dir())?;
        let stop = &session.stop;
        let run = Run { trial, environment: &environment, folder: scratch.path(), limit, observer, stop };
        let steps = run.all()?;
        let passed = steps.iter().all(|step| step.unmet.is_empty());
        trials.push(TrialResult {
            tool: card.name.to_string(),
            version: card.version.to_string(),
            name: trial.name.clone(),
            passed,
            steps,
            folder: keep.then(|| scratch.keep().into()),
        });
    }
    Ok(trials)
}

/// Whether a trial can be run: its files lie in its folder, and its expressions can be understood.
pub fn check(trial: &Trial) -> Result<(), JobError> {
    let left = trial.steps().flat_map(|step| step.leaves.iter().map(|left| left.wanted().file));
    for file in trial.files.keys().cloned().chain(left) {
        let inside = Path::new(&file).components().all(|part| matches!(part, Component::Normal(_) | Component::CurDir));
        if !inside || file.is_empty() {
            return Err(TrialError::Place { trial: trial.name.clone(), file }.into());
        }
    }
    for expression in trial.steps().filter_map(|step| step.matches.as_ref()) {
        Regex::new(expression).map_err(|source| TrialError::Expression { trial: trial.name.clone(), source })?;
    }
    Ok(())
}

struct Run<'a> {
    trial: &'a Trial,
    environment: &'a Environment,
    folder: &'a Path,
    limit: Duration,
    observer: &'a dyn TrialObserver,
    stop: &'a Stop,
}

impl Run<'_> {
    fn all(&self) -> Result<Vec<StepResult>, JobError> {
        for (name, text) in &self.trial.files {
            let file = self.folder.join(name);
            let folder = file.parent().unwrap_or(self.folder);
            fs::create_dir_all(folder).at("make the folder", folder)?;
            fs::write(&file, text).at("write", &file)?;
        }
        let mut results = Vec::new();
        for step in self.trial.steps() {
            self.observer.begins(&self.trial.name, step);
            results.push(self.step(step)?);
            if results.last().is_some_and(|result| !result.unmet.is_empty()) {
                break;
            }
        }
        Ok(results)
    }

    fn step(&self, step: &TrialStep) -> Result<StepResult, JobError> {
        let mut result =
            StepResult { run: step.run.clone(), program: None, status: None, milliseconds: 0, unmet: Vec::new() };
        let limit = step.seconds.map_or(self.limit, Duration::from_secs);
        let ran = match step.run.split_first() {
            Some((name, arguments)) => self.start(name, arguments, limit),
            None => Err(unmet("a command to run", "the step names none")),
        };
        let (program, outcome) = match ran {
            Ok(ran) => ran,
            Err(unmet) => {
                result.unmet.push(unmet);
                return Ok(result);
            }
        };
        result.program = Some(program.into());
        result.milliseconds = u64::try_from(outcome.took.as_millis()).unwrap_or(u64::MAX);
        match &outcome.ending {
            Ending::Exited(status) => {
                result.status = status.code();
                if status.code() != Some(step.status) {
                    let came = status.code().map_or_else(|| "ended by a signal".to_owned(), |c| format!("status {c}"));
                    let came = format!("{came}, output: {}", said(&outcome));
                    result.unmet.push(unmet(format!("exit status {}", step.status), came));
                }
            }
            Ending::TimedOut => {
                let came = match starting::open_question(&outcome) {
                    Some(question) => format!("it waits for input: \"{question}\""),
                    None => format!("still running; output so far: {}", said(&outcome)),
                };
                result.unmet.push(unmet(format!("an end within {} s", limit.as_secs()), came));
                return Ok(result);
            }
            Ending::Interrupted => return Err(TrialError::Interrupted.into()),
            Ending::NotStarted(_) | Ending::NoSeal(_) => {}
        }
        let output = output_of(&outcome);
        if let Some(text) = step.prints.as_ref().filter(|text| !output.contains(*text)) {
            result.unmet.push(unmet(format!("output with \"{text}\""), said(&outcome)));
        }
        if let Some(expression) = &step.matches
            && !Regex::new(expression).is_ok_and(|expression| expression.is_match(&output))
        {
            result.unmet.push(unmet(format!("output that matches {expression}"), said(&outcome)));
        }
        result.unmet.extend(step.leaves.iter().filter_map(|left| self.left(&left.wanted(), limit)));
        Ok(result)
    }

    /// Starts what a new terminal finds under this name, or the file in the trial's folder.
    fn start(&self, name: &str, arguments: &[String], limit: Duration) -> Result<(PathBuf, Outcome), Unmet> {
        let program = if name.contains(std::path::is_separator) {
            let file = self.folder.join(name);
            if !file.exists() {
                return Err(unmet(format!("the program {name}"), "not found"));
            }
            file
        } else {
            let context = LookupContext::of(self.environment, self.folder);
            let candidates = resolve::candidates(Caller::typed(context.system), name, &context, &Disk);
            let found = resolve::winner(&candidates).map(Path::to_owned);
            found.ok_or_else(|| unmet(format!("the command {name}"), "not found in a new terminal"))?
        };
        let startable = Startable::look(&program).map_err(|(_, why)| unmet("a program that runs here", why))?;
        let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
        let place = Place { environment: self.environment, context: None, script_host: None };
        let command = startable.start(name, &arguments, place, self.folder).command();
        let outcome = process::run_observed(command, limit, self.stop, &|bytes| self.observer.output(bytes));
        match startable.trouble(&outcome, self.environment) {
            Some((_, why)) => Err(unmet("a program that starts", why)),
            None => Ok((program, outcome)),
        }
    }

    fn left(&self, wanted: &LeftFile, limit: Duration) -> Option<Unmet> {
        let name = &wanted.file;
        let content = match given::content(&self.folder.join(name)) {
            Ok(content) => content,
            Err(e) if e.kind() == io::ErrorKind::NotFound => {
                return Some(unmet(format!("the file {name}"), format!("not found; the folder has {}", self.there())));
            }
            // A folder is there, too.
            Err(_) if self.folder.join(name).is_dir() => Vec::new(),
            Err(e) => return Some(unmet(format!("the file {name}"), e.to_string())),
        };
        if wanted.not_empty && content.is_empty() {
            return Some(unmet(format!("content in the file {name}"), "empty"));
        }
        if let Some(text) = wanted.holds.as_ref()
            && !text_of(&content).contains(text.as_str())
        {
            return Some(unmet(format!("the file {name} with \"{text}\""), told(&text_of(&content))));
        }
        let text = wanted.prints.as_ref()?;
        match self.start(&format!("./{name}"), &[], limit) {
            Ok((_, outcome)) if output_of(&outcome).contains(text.as_str()) => None,
            Ok((_, outcome)) => Some(unmet(format!("the file {name} to run and print \"{text}\""), said(&outcome))),
            Err(unmet) => Some(unmet),
        }
    }

    fn there(&self) -> String {
        let entries = fs::read_dir(self.folder).into_iter().flatten().flatten();
        let mut names: Vec<String> = entries.map(|e| e.file_name().to_string_lossy().into_owned()).take(8).collect();
        names.sort();
        if names.is_empty() { "nothing".to_owned() } else { names.join(", ") }
    }
}

fn unmet(expected: impl Into<String>, came: impl Into<String>) -> Unmet {
    Unmet { expected: expected.into(), came: came.into() }
}

/// Both streams, with the line ends of Unix.
fn output_of(outcome: &Outcome) -> String {
    format!("{}\n{}", text_of(&outcome.stdout), text_of(&outcome.stderr)).replace("\r\n", "\n")
}

fn said(outcome: &Outcome) -> String {
    let stderr = text_of(&outcome.stderr);
    told(if stderr.trim().is_empty() { text_of(&outcome.stdout) } else { stderr }.trim())
}

/// The beginning of a text, in one line.
fn told(text: &str) -> String {
    let lines: Vec<&str> = text.lines().map(str::trim).filter(|line| !line.is_empty()).take(TOLD.0).collect();
    let text: String = lines.join(" / ").chars().take(TOLD.1).collect();
    if text.is_empty() { "nothing".to_owned() } else { format!("\"{text}\"") }
}
