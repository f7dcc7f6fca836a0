//! The survey of the whole PATH.

use std::thread;

use super::entries::{self, Entry};
use super::pairs::{tell_duplicates, tell_root_and_bin, tell_writable};
use super::report::{EntrySurvey, ScopeSurvey, SurveyedPath, all_findings};
use super::variables::home_variable;
use super::{records, shadowing, variables};
use crate::check::StartupLines;
use crate::finding::{Code, Finding, Severity};
use crate::folders::SystemFolders;
use crate::layout::Command;
use crate::machine::Machine;
use crate::process;
use crate::report::Report;
use crate::resolve::{self, Caller, Disk, LookupContext, same_file};
use crate::session::{JobError, Session};
use crate::shells::TerminalKind;
use crate::store::registry;
use crate::suggestion::suggested;
use crate::system::System;
use crate::terminal::{self, Answer, Origins, PathView};
use crate::yard::{Card, Yard};

/// Surveys PATH as a new terminal has it, which on Unix the installed shells are asked for, or as this one has it. Findings
/// as bad as `limit` make the report fail.
pub fn survey(session: &Session, terminal: TerminalKind, limit: Severity) -> Result<Report<SurveyedPath>, JobError> {
    survey_with(session, terminal, limit, None)
}

/// Surveys PATH of a new terminal, of which shells have said this when they were asked for [`variable_names`].
pub fn survey_answers(
    session: &Session,
    answers: &[Answer],
    limit: Severity,
) -> Result<Report<SurveyedPath>, JobError> {
    survey_with(session, TerminalKind::New, limit, Some(answers))
}

fn survey_with(
    session: &Session,
    terminal: TerminalKind,
    limit: Severity,
    answers: Option<&[Answer]>,
) -> Result<Report<SurveyedPath>, JobError> {
    let machine = &session.machine;
    let stock = session.stock()?;
    let cards = stock.in_service();
    let names = variable_names(machine, &cards);
    let mut findings = stock.findings();
    let view = match terminal {
        TerminalKind::This => PathView::of_this_terminal(machine, &names),
        TerminalKind::New => new_terminal(session, &names, answers, &mut findings)?,
    };
    session.bail_if_interrupted()?;
    findings.extend(view.findings.iter().cloned());
    let system_folders = SystemFolders::of(&machine.environment);
    let parts: Vec<Entry> = view
        .parts
        .iter()
        .map(|part| Entry {
            scope: part.scope,
            raw: part.raw.clone(),
            folder: part.folder.clone(),
            has_others: view
                .parts
                .iter()
                .filter(|other| (other.scope, other.entry) == (part.scope, part.entry))
                .count()
                > 1,
            is_needed: system_folders.need(&part.folder),
        })
        .collect();
    let at_a_time = thread::available_parallelism().map_or(2, usize::from) * 2;
    let mut seen =
        process::side_by_side(&parts, at_a_time, |entry| entries::look_in_time(entry, &machine.home, machine.system()));
    tell_duplicates(&parts, &mut seen);
    tell_root_and_bin(&parts, &mut seen, machine.system());
    tell_writable(&parts, &mut seen, &system_folders);
    findings.extend(records::strays(&session.yard)?);
    if parts.is_empty() {
        findings.push(Finding::new(Code::NotFound, "PATH is empty"));
    }
    findings.extend(shadowing::hidden(&seen, &system_folders));
    findings.extend(shadowing::split(&parts, &seen, &system_folders, machine.system()));
    let registered: Vec<&Card> = cards.iter().copied().filter(|card| card.registration.is_some()).collect();
    for card in &registered {
        for context in std::iter::once(&view.context).chain(&view.others) {
            for finding in losing(&session.yard, card, context) {
                if !findings.contains(&finding) {
                    findings.push(finding);
                }
            }
        }
    }
    if terminal == TerminalKind::New && !registered.is_empty() {
        let by_path = findings.iter().any(|f| matches!(f.code, Code::Shadowed | Code::NotFound));
        let commands: Vec<&str> = cards.iter().flat_map(|card| &card.commands).map(|c| c.name.as_str()).collect();
        findings.extend(StartupLines::read(&session.asking()?).findings(&commands, by_path));
    }
    findings.extend(names.iter().filter_map(|name| variables::other_copy(name, view.variable(name), &view.context)));
    findings.extend(names.iter().filter_map(|name| {
        let card = cards.iter().find(|card| home_variables(card).any(|own| own == *name));
        home_variable(name, view.variable(name), card.map(|card| (*card, session.yard.home_of(card))))
    }));
    if terminal == TerminalKind::This {
        // What is registered may well be right, and only this terminal too old for it.
        let of_stock = [Code::NotFound, Code::Shadowed, Code::HomeVariableDiffers];
        for finding in findings.iter_mut().filter(|finding| of_stock.contains(&finding.code)) {
            finding.remedy = Some("open a new terminal and survey that; this one may be outdated".into());
        }
    }
    findings.sort_by_key(|finding| finding.severity);
    let report = Report::new(SurveyedPath { terminal, scopes: by_scope(&view, seen) }).with_findings(findings);
    let bad = all_findings(&report).any(|finding| finding.severity <= limit);
    Ok(report.failed_if(bad))
}

fn by_scope(view: &PathView, seen: Vec<entries::Inspected>) -> Vec<ScopeSurvey> {
    let mut scopes: Vec<ScopeSurvey> = Vec::new();
    for (part, seen) in view.parts.iter().zip(seen) {
        let surveyed = EntrySurvey {
            raw: part.raw.clone().into(),
            expanded: part.folder.clone().into(),
            exists: seen.exists,
            commands: seen.commands.len(),
            findings: seen.findings,
        };
        match scopes.last_mut().filter(|last| last.scope == part.scope) {
            Some(last) => last.entries.push(surveyed),
            None => scopes.push(ScopeSurvey { scope: part.scope, entries: vec![surveyed] }),
        }
    }
    scopes
}

/// PATH of a new terminal, with what is worth telling of it; where no shell gives an answer, that of this one.
fn new_terminal(
    session: &Session,
    names: &[String],
    answers: Option<&[Answer]>,
    findings: &mut Vec<Finding>,
) -> Result<PathView, JobError> {
    let machine = &session.machine;
    if machine.system() == System::Windows {
        let background = terminal::background(machine)?;
        findings.extend(registry::findings(&background, &machine.registry()));
        findings.extend(variables::across_scopes(names, &background.registry));
    }
    let asking = session.asking()?;
    let view = match answers.filter(|_| machine.system() == System::Unix) {
        Some(answers) => PathView::of_answers(&asking, answers, Origins::Left),
        None => PathView::of_new_terminal(&asking, names, Origins::Left)?,
    };
    let Some(view) = view else {
        let seen = "no shell answered; this shows the current terminal";
        findings.push(Finding::new(Code::NoTerminalAnswer, seen));
        return Ok(PathView::of_this_terminal(machine, names));
    };
    findings.extend(terminal::unknown_login_shell(machine, session.settings()?));
    if machine.system() == System::Unix && !machine.is_for_everybody() {
        let used: Vec<_> = session.shells()?.iter().map(|found| found.shell).collect();
        findings.extend(terminal::unused_shells(machine, &used));
    }
    Ok(view)
}

/// The variables that tools are found by: those on the cards, and whatever in this environment is named like one.
pub fn variable_names(machine: &Machine, cards: &[&Card]) -> Vec<String> {
    let here = machine.environment.iter().filter_map(|(name, _)| name.to_str());
    let mut names: Vec<String> =
        here.filter(|name| name.ends_with("_HOME") && !name.starts_with("XDG_")).map(str::to_owned).collect();
    names.extend(cards.iter().flat_map(|card| home_variables(card)));
    names.sort();
    names.dedup();
    names
}

fn home_variables(card: &Card) -> impl Iterator<Item = String> + '_ {
    card.registration.iter().flat_map(|registration| registration.home_variables.iter().map(ToString::to_string))
}

/// The registered commands of a tool that another copy comes before, or that are not found.
fn losing(yard: &Yard, card: &Card, context: &LookupContext) -> Vec<Finding> {
    let home = yard.home_of(card);
    let told = |command: &Command| {
        let ours = home.join(&command.path);
        let candidates = resolve::candidates(Caller::typed(context.system), &command.name, context, &Disk);
        let (name, tool) = (&command.name, &card.name);
        match resolve::winner(&candidates) {
            Some(winner) if same_file(winner, &ours) => None,
            Some(winner) => {
                let seen = format!("{name}: {} runs instead of the received {tool}", winner.display());
                Some(Finding::new(Code::Shadowed, seen).remedy(format!(
                    "run {} to see what puts it first",
                    suggested(context.system, "trace {}", &[name])
                )))
            }
            None => {
                let seen = format!("{name} of {tool} is not found");
                Some(match context.unlisted_ending(&ours) {
                    Some((ending, remedy)) => {
                        Finding::new(Code::NotFound, format!("{seen}: PATHEXT does not list {ending}")).remedy(remedy)
                    }
                    None => Finding::new(Code::NotFound, seen).remedy(format!("run 'wyard register {tool}'")),
                })
            }
        }
    };
    card.commands.iter().filter_map(told).collect()
}
