//! The survey: the health of the whole PATH, and of what the yard holds in it.

mod among;
mod commands;
mod entries;
mod records;
mod startup;
mod variables;

use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};
use std::thread;
use std::time::Duration;

use serde::Serialize;

use crate::error::{Blame, Blamed, FileError};
use crate::finding::{Code, Finding};
use crate::machine::{Machine, variable};
use crate::os;
use crate::path_list::{PathList, windows};
use crate::process;
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, Surroundings, same_file};
use crate::store::registry::{self, Keys};
use crate::system::System;
use crate::terminal::{self, Answer, Asking, Question, Said};
use crate::trace::TerminalKind;
use crate::yard::{Card, Scope, Settings, Yard, YardError};

use among::{tell_duplicates, tell_root_and_bin, tell_writable};
use entries::Entry;
pub(crate) use entries::{cleaned_place, commands_in};
use variables::home_variable;

/// From here on the start of a shell is worth telling.
const SLOW: Duration = Duration::from_secs(1);

/// The report of `survey`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct SurveyReport {
    /// The format number.
    pub format: u32,
    /// `survey`.
    pub report: &'static str,
    /// Whose PATH was looked at: this terminal's, or that of a new one.
    pub terminal: TerminalKind,
    /// Scope by scope, in the order of PATH. On Unix PATH is not kept by scope, and all is the user's.
    pub scopes: Vec<ScopeSurvey>,
    /// What is worth telling beyond single entries, worst first.
    pub findings: Vec<Finding>,
}

/// The entries of one scope.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ScopeSurvey {
    /// Whose.
    pub scope: Scope,
    /// In order.
    pub entries: Vec<EntrySurvey>,
}

/// One entry of PATH.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct EntrySurvey {
    /// As written.
    pub raw: String,
    /// The folder it stands for.
    pub expanded: PathBuf,
    /// Whether that is there.
    pub exists: bool,
    /// How many commands it holds.
    pub commands: usize,
    /// What is worth telling of it.
    pub findings: Vec<Finding>,
}

impl SurveyReport {
    /// All findings, those of entries included.
    pub fn all_findings(&self) -> impl Iterator<Item = &Finding> {
        let of_entries = self.scopes.iter().flat_map(|scope| &scope.entries).flat_map(|entry| &entry.findings);
        of_entries.chain(&self.findings)
    }
}

/// Why no survey could be made.
#[derive(Debug, thiserror::Error)]
pub enum SurveyError {
    /// The yard's records cannot be read.
    #[error(transparent)]
    Yard(#[from] YardError),
    /// The registry cannot be read.
    #[error(transparent)]
    Registry(#[from] FileError),
    /// The user asked to stop.
    #[error("interrupted; nothing was changed by the survey")]
    Interrupted,
}

impl Blamed for SurveyError {
    fn blame(&self) -> Blame {
        match self {
            Self::Yard(e) => e.blame(),
            Self::Registry(e) => e.blame(),
            Self::Interrupted => Blame::Interrupted,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Yard(e) => e.hint(),
            Self::Registry(e) => e.hint(),
            Self::Interrupted => None,
        }
    }
}

/// What a terminal's programs see.
struct Sight {
    entries: Vec<(Scope, Entry)>,
    around: Surroundings,
    /// What the terminals see that have another PATH.
    others: Vec<Surroundings>,
    /// The variables that matter, with their values.
    variables: Vec<(String, Option<OsString>)>,
    findings: Vec<Finding>,
}

/// Surveys PATH as a new terminal has it, which on Unix the installed shells are asked for, or as this one has it.
///
/// # Errors
/// When records or the registry cannot be read, or the user asked to stop.
pub fn survey(
    machine: &Machine,
    settings: &Settings,
    terminal: TerminalKind,
    stop: &Stop,
) -> Result<SurveyReport, SurveyError> {
    let yard = Yard::of(machine);
    let cards = yard.in_service()?;
    let names = variable_names(machine, &cards);
    let sight = match terminal {
        TerminalKind::This => this_terminal(machine, names),
        TerminalKind::New => new_terminal(machine, settings, names, stop)?,
    };
    if stop.requested() {
        return Err(SurveyError::Interrupted);
    }
    let at_a_time = thread::available_parallelism().map_or(2, usize::from) * 2;
    let mut seen =
        process::side_by_side(&sight.entries, at_a_time, |(_, entry)| entries::look_in_time(entry, &machine.home));
    let folders: Vec<&Entry> = sight.entries.iter().map(|(_, entry)| entry).collect();
    tell_duplicates(&folders, &mut seen);
    tell_root_and_bin(&folders, &mut seen);
    tell_writable(&folders, &mut seen, &commands::system_folders(sight.around.system_root.as_deref()));
    let mut findings = sight.findings;
    findings.extend(records::strays(&yard)?);
    if sight.entries.is_empty() {
        findings.push(Finding::new(Code::NotFound, "PATH is empty: no command is found"));
    }
    let system_folders = commands::system_folders(sight.around.system_root.as_deref());
    findings.extend(commands::hidden(&seen, &system_folders));
    findings.extend(commands::split(&folders, &seen, &system_folders));
    for card in cards.iter().filter(|card| card.registration.is_some()) {
        for around in std::iter::once(&sight.around).chain(&sight.others) {
            for finding in losing(&yard, card, around) {
                if !findings.contains(&finding) {
                    findings.push(finding);
                }
            }
        }
    }
    if terminal == TerminalKind::New && cards.iter().any(|card| card.registration.is_some()) {
        let undone = findings.iter().any(|f| matches!(f.code, Code::Shadowed | Code::NotFound));
        findings.extend(startup::undoing(machine, settings, &cards, undone, stop));
    }
    let others =
        |(name, value): &(String, Option<OsString>)| variables::other_copy(name, value.as_deref(), &sight.around);
    findings.extend(sight.variables.iter().filter_map(others));
    findings.extend(sight.variables.iter().filter_map(|(name, value)| {
        let card = cards.iter().find(|card| home_variables(card).any(|own| own == *name));
        home_variable(name, value.as_deref(), card.map(|card| (card, yard.home_of(card))))
    }));
    if terminal == TerminalKind::This {
        // What is registered may well be right, and only this terminal too old for it.
        let of_stock = [Code::NotFound, Code::Shadowed, Code::HomeVariableDiffers];
        for finding in findings.iter_mut().filter(|finding| of_stock.contains(&finding.code)) {
            finding.remedy =
                Some("open a new terminal, and survey that: this one may be older than what is registered".into());
        }
    }
    findings.sort_by_key(|finding| finding.severity);
    let mut scopes: Vec<ScopeSurvey> = Vec::new();
    for ((scope, entry), seen) in sight.entries.iter().zip(seen) {
        let surveyed = EntrySurvey {
            raw: entry.raw.to_string_lossy().into_owned(),
            expanded: entry.folder.clone(),
            exists: seen.exists,
            commands: seen.commands.len(),
            findings: seen.findings,
        };
        match scopes.last_mut().filter(|last| last.scope == *scope) {
            Some(last) => last.entries.push(surveyed),
            None => scopes.push(ScopeSurvey { scope: *scope, entries: vec![surveyed] }),
        }
    }
    Ok(SurveyReport { format: 1, report: "survey", terminal, scopes, findings })
}

/// The variables that tools are found by: those on the cards, and whatever in this environment is named like one.
fn variable_names(machine: &Machine, cards: &[Card]) -> Vec<String> {
    let here = machine.environment.keys().filter_map(|name| name.to_str());
    let mut names: Vec<String> =
        here.filter(|name| name.ends_with("_HOME") && !name.starts_with("XDG_")).map(str::to_owned).collect();
    names.extend(cards.iter().flat_map(home_variables));
    names.sort();
    names.dedup();
    names
}

fn home_variables(card: &Card) -> impl Iterator<Item = String> + '_ {
    card.registration.iter().flat_map(|registration| registration.home_variables.iter().map(ToString::to_string))
}

/// The entries of a PATH value whose references are filled in.
fn entries_of(path: &OsStr) -> Vec<(Scope, Entry)> {
    match os::HERE {
        System::Unix => PathList::parse(path)
            .entries()
            .map(|entry| (Scope::User, Entry { raw: entry.raw.clone(), folder: entry.folder() }))
            .collect(),
        System::Windows => {
            let path = path.to_string_lossy();
            let entry = |part: &str| Entry { raw: part.into(), folder: windows::folder(part).into() };
            windows::parts(&path)
                .into_iter()
                .filter(|part| !part.is_empty())
                .map(|part| (Scope::User, entry(part)))
                .collect()
        }
    }
}

fn this_terminal(machine: &Machine, names: Vec<String>) -> Sight {
    let around = Surroundings::of(&machine.environment, &std::env::current_dir().unwrap_or_default());
    let value = |name: String| {
        let value = variable(&machine.environment, &name).map(OsStr::to_owned);
        (name, value)
    };
    let variables = names.into_iter().map(value).collect();
    Sight { entries: entries_of(&around.path), around, others: Vec::new(), variables, findings: Vec::new() }
}

fn new_terminal(machine: &Machine, settings: &Settings, names: Vec<String>, stop: &Stop) -> Result<Sight, SurveyError> {
    if os::HERE == System::Windows {
        return in_registry(machine, names);
    }
    let shells = terminal::installed(machine, &settings.shells);
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let answers = asking.everywhere(Question { commands: &[], variables: &names });
    let Some((_, said)) = commonest(&answers) else {
        let seen = "no shell could be asked what a new terminal sees; this is what this one sees";
        let mut sight = this_terminal(machine, names);
        sight.findings.push(Finding::new(Code::NoTerminalAnswer, seen));
        return Ok(sight);
    };
    let mut others: Vec<Surroundings> = Vec::new();
    for other in answers.iter().filter_map(|answer| answer.said.as_ref().ok()) {
        if other.around.path != said.around.path && others.iter().all(|known| known.path != other.around.path) {
            others.push(other.around.clone());
        }
    }
    let mut findings = tell_other_paths(&answers, said);
    findings.extend(terminal::unknown_login_shell(machine, settings));
    let variables = names.into_iter().zip(said.variables.iter().cloned()).collect();
    Ok(Sight { entries: entries_of(&said.around.path), around: said.around.clone(), others, variables, findings })
}

/// The answer with the PATH that most new terminals have; of two as common ones the first.
pub(crate) fn commonest(answers: &[Answer]) -> Option<(&Answer, &Said)> {
    let said: Vec<(&Answer, &Said)> = answers.iter().filter_map(|a| Some((a, a.said.as_ref().ok()?))).collect();
    let as_many = |one: &Said| said.iter().filter(|(_, other)| other.around.path == one.around.path).count();
    said.iter().rev().max_by_key(|(_, one)| as_many(one)).copied()
}

/// Tells of the terminals that gave no answer or have another PATH than the one looked at.
pub(crate) fn tell_other_paths(answers: &[Answer], said: &Said) -> Vec<Finding> {
    let mut findings: Vec<Finding> = Vec::new();
    let mut elsewhere: Vec<String> = Vec::new();
    for answer in answers {
        let words = format!("{} ({})", answer.shell.name(), answer.way.name());
        if answer.took >= SLOW {
            let seen = format!("a new terminal of {words} takes {:.1} s to start", answer.took.as_secs_f64());
            findings.push(Finding::new(Code::SlowStartup, seen).remedy("look at what its startup files start"));
        }
        match &answer.said {
            Err(_) => {
                let seen = format!("a new terminal gave no answer: {words}");
                findings.push(Finding::new(Code::NoTerminalAnswer, seen).remedy("look at that shell's startup files"));
            }
            Ok(other) if other.around.path != said.around.path => {
                if !elsewhere.contains(&words) {
                    elsewhere.push(words);
                }
            }
            Ok(_) => {}
        }
    }
    findings.dedup();
    if !elsewhere.is_empty() {
        let seen = format!("not every new terminal has this PATH: another one in {}", elsewhere.join(", "));
        let remedy = "look with 'wyard trace COMMAND' which copy each of them runs";
        findings.push(Finding::new(Code::PathDiffers, seen).remedy(remedy));
    }
    findings
}

/// What the registry gives a new terminal: the system's entries, then the user's.
fn in_registry(machine: &Machine, names: Vec<String>) -> Result<Sight, SurveyError> {
    let background = terminal::background(machine)?;
    let variables = background.variables();
    let value_of =
        |name: &str| variables.iter().find(|(key, _)| key.eq_ignore_ascii_case(name)).map(|(_, value)| value.clone());
    let mut entries = Vec::new();
    for (scope, key) in [(Scope::System, &background.registry.system), (Scope::User, &background.registry.user)] {
        let text = key.get("Path").map(|value| value.text).unwrap_or_default();
        for part in windows::parts(&text).into_iter().filter(|part| !part.is_empty()) {
            let folder = windows::folder(&windows::expand(part, &value_of)).into();
            entries.push((scope, Entry { raw: part.into(), folder }));
        }
    }
    let environment = variables.iter().map(|(name, value)| (name.into(), value.into())).collect();
    let around = Surroundings::of(&environment, Path::new(""));
    let mut findings = registry::findings(&background, &Keys::of(machine.sandbox.as_deref()));
    findings.extend(variables::across_scopes(&names, &background.registry));
    let variables = names.into_iter().map(|name| {
        let value = value_of(&name).map(OsString::from);
        (name, value)
    });
    Ok(Sight { entries, around, others: Vec::new(), variables: variables.collect(), findings })
}

/// The registered commands of a tool that another copy comes before, or that are not found.
fn losing(yard: &Yard, card: &Card, around: &Surroundings) -> Vec<Finding> {
    let home = yard.home_of(card);
    let told = |command: &crate::layout::Command| {
        let ours = home.join(&command.path);
        let candidates = resolve::candidates(Caller::program(os::HERE), &command.name, around, &Disk);
        let (name, tool) = (&command.name, &card.name);
        match resolve::winner(&candidates) {
            Some(winner) if same_file(winner, &ours) => None,
            Some(winner) => {
                let seen = format!("{name} of {tool} is in service, but {} runs", winner.display());
                Some(
                    Finding::new(Code::Shadowed, seen)
                        .remedy(format!("run 'wyard trace {name}' to see what puts it first")),
                )
            }
            None => {
                let seen = format!("{name} of {tool} is in service, but is not found");
                Some(Finding::new(Code::NotFound, seen).remedy(format!("run 'wyard register {tool}'")))
            }
        }
    };
    card.commands.iter().filter_map(told).collect()
}
