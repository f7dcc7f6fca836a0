//! The check of tools of the yard.

use super::command::Subject;
use super::error::CheckError;
use super::report::{CheckedTools, CommandCheck, ToolCheck};
use super::round::Round;
use super::startup_lines::StartupLines;
use super::tool;
use crate::finding::{Code, Finding, Severity};
use crate::report::{Report, Verdict};
use crate::session::Session;
use crate::suggestion::suggested;
use crate::system::System;
use crate::terminal::{self, Question};
use crate::yard::Card;

/// Checks the tools of these cards. Without `runs` no command is started: what runs is told, not whether it works. The
/// way in which a command has stated its version is remembered, where nobody else is writing.
///
/// # Errors
/// When there is no place to run commands in, or the user asked to stop. A bad verdict is no error.
pub fn check(session: &Session, cards: &[Card], runs: bool) -> Result<Report<CheckedTools>, CheckError> {
    let answers = session.yard.answers();
    let subjects: Vec<Vec<Subject>> =
        cards.iter().map(|card| Subject::of(&session.yard.home_of(card), card, &answers)).collect();
    let of_tools = subjects.iter().flatten().map(|subject| subject.name.clone());
    let commands: Vec<String> = of_tools.chain(cards.iter().flat_map(|c| c.requires.commands.clone())).collect();
    let homes = cards.iter().flat_map(|c| c.registration.iter().flat_map(|r| &r.home_variables));
    let needed = cards.iter().flat_map(|card| &card.requires.variables);
    let variables: Vec<String> = homes.chain(needed).map(ToString::to_string).collect();
    let round = Round::new(session, Question { commands: &commands, variables: &variables }, runs)?;
    let unknown_shell = terminal::unknown_login_shell(&session.machine, session.settings()?);
    let of_shell = unknown_shell.as_ref().map(|_| Verdict::NotFound);
    let mut startup = None;
    let mut tools = Vec::new();
    for (card, subjects) in cards.iter().zip(&subjects) {
        let mut commands = round.commands(subjects)?;
        let mut findings = tool::home_variables(card, &session.yard.home_of(card), &round.answers);
        let of_variables = match findings.iter().any(|f| f.severity == Severity::Problem) {
            true => Verdict::Shadowed,
            false => Verdict::Good,
        };
        findings.extend(tool::writable_by_others(card, &session.yard.home_of(card)));
        findings.extend(unknown_shell.clone());
        if loses_by_path(card, &commands) && session.system() == System::Unix {
            let lines = match &startup {
                Some(lines) => lines,
                None => startup.insert(StartupLines::read(&session.asking()?)),
            };
            let names: Vec<&str> = card.commands.iter().map(|command| command.name.as_str()).collect();
            advise(card, &mut commands, lines, session.system());
            findings.extend(lines.findings(&names, true));
        }
        tool::hold_to_version(card, &mut commands);
        findings.extend(tool::companions(&commands));
        let (requirements, lacking) = tool::requirements(card, &round);
        findings.extend(lacking);
        let needs = requirements.iter().map(|r| r.verdict);
        let verdict = commands.iter().map(|c| c.verdict).chain([of_variables]).chain(of_shell).chain(needs).max();
        let verdict = verdict.unwrap_or(Verdict::Good);
        let (name, version) = (card.name.to_string(), card.version.to_string());
        tools.push(ToolCheck { name, version, commands, ran: runs, verdict, requirements, findings });
    }
    if session.stop.requested() {
        return Err(CheckError::Interrupted);
    }
    remember(session, cards, &tools);
    let mut report = CheckedTools::report(tools);
    report.evidence = round.answers.iter().filter_map(|answer| answer.evidence.as_deref().cloned()).collect();
    Ok(report)
}

/// Whether PATH does not lead to a registered tool.
fn loses_by_path(card: &Card, commands: &[CommandCheck]) -> bool {
    let by_path = |command: &CommandCheck| {
        command.findings.iter().any(|finding| matches!(finding.code, Code::NotFound | Code::Shadowed))
    };
    card.registration.is_some() && commands.iter().any(by_path)
}

/// What to do where PATH does not lead to a registered tool: registering it again changes something only where the block is
/// missing; a line that undoes it is named.
fn advise(card: &Card, commands: &mut [CommandCheck], lines: &StartupLines, system: System) {
    for command in commands {
        let name = command.name.clone();
        for finding in &mut command.findings {
            let is_missing = finding.code == Code::NotFound;
            if !is_missing && finding.code != Code::Shadowed {
                continue;
            }
            if let Some(remedy) = lines.remedy() {
                finding.remedy = Some(remedy);
            } else if is_missing && !lines.lacks_block() && is_to_register(finding) {
                let tool = &card.name;
                finding.remedy = Some(format!(
                    "{tool} is registered; run 'wyard survey' and {} to see what removes its folder from PATH",
                    suggested(system, "trace {}", &[&name])
                ));
            }
        }
    }
}

/// Whether a finding advises to register the tool.
fn is_to_register(finding: &Finding) -> bool {
    finding.remedy.as_ref().is_some_and(|remedy| remedy.starts_with("run 'wyard register"))
}

/// Keeps with which arguments commands have stated their version. It only saves time, so that whatever is in the way is left
/// for another check.
fn remember(session: &Session, cards: &[Card], tools: &[ToolCheck]) {
    let mut answers = session.yard.answers();
    let mut news = false;
    for (card, tool) in cards.iter().zip(tools) {
        for command in &tool.commands {
            if let Some(form) = &command.form {
                news |= answers.learn(&card.name, &card.version, &command.name, form);
            }
        }
    }
    let Some(lock) = news.then(|| session.yard.lock_at_once(&session.machine)).flatten() else { return };
    if let Ok(stock) = session.stock() {
        answers.retain(|tool| stock.iter().any(|card| format!("{}@{}", card.name, card.version) == tool));
    }
    if let Err(error) = lock.keep_answers(&answers) {
        tracing::info!(%error, "how the commands answered is not kept");
    }
}
