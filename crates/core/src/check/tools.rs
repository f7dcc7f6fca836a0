//! The check of tools of the yard.

use std::cell::OnceCell;

use super::command::{Subject, is_vouched};
use super::error::CheckError;
use super::prober::Prober;
use super::report::{CheckedTools, ToolCheck};
use super::round::TerminalPass;
use super::startup_lines::StartupLines;
use super::tool;
use crate::finding::Finding;
use crate::report::Report;
use crate::session::{JobError, Session};
use crate::start_policy::{Purpose, Whose};
use crate::terminal::{self, Question};
use crate::yard::Card;

/// Checks the tools of these cards. Without `runs` no command is started: what runs is told, not whether it works. The
/// way in which a command has stated its version is remembered, where nobody else is writing.
///
/// # Errors
/// When there is no place to run commands in, or the user asked to stop. A bad verdict is no error.
pub fn check(session: &Session, cards: &[Card], runs: bool) -> Result<Report<CheckedTools>, JobError> {
    let answers = session.yard.answers();
    let prober = Prober::of(session, Purpose::Proof)?;
    let subjects = cards.iter().map(|card| {
        let is_agreed = runs && may_be_agreed(session, card, is_vouched(card, &answers), prober);
        Subject::of(&session.yard.home_of(card), card, &answers, is_agreed)
    });
    let subjects: Vec<Vec<Subject>> = subjects.collect();
    let of_tools = subjects.iter().flatten().map(|subject| subject.name.clone());
    let commands: Vec<String> = of_tools.chain(cards.iter().flat_map(|c| c.requires.commands.clone())).collect();
    let homes = cards.iter().flat_map(|c| c.registration.iter().flat_map(|r| &r.home_variables));
    let needed = cards.iter().flat_map(|card| &card.requires.variables);
    let variables: Vec<String> = homes.chain(needed).map(ToString::to_string).collect();
    let round = TerminalPass::new(session, Question { commands: &commands, variables: &variables }, runs)?;
    let unknown_shell: Vec<Finding> =
        terminal::unknown_login_shell(&session.machine, session.settings()?).into_iter().collect();
    let startup: OnceCell<StartupLines> = OnceCell::new();
    let asking = session.asking()?;
    let lines = || startup.get_or_init(|| StartupLines::read(&asking)).clone();
    let mut tools = Vec::new();
    for (card, subjects) in cards.iter().zip(&subjects) {
        tools.push(tool::check(session, card, subjects, &round, &lines, &unknown_shell)?);
    }
    if session.stop.requested() {
        return Err(CheckError::Interrupted.into());
    }
    remember(session, cards, &tools);
    let evidence = round.answers.iter().filter_map(|answer| answer.evidence.as_deref().cloned()).collect();
    Ok(Report::new(CheckedTools { tools, evidence }))
}

/// Asks the user whether a tool may be started that would not be without their word; whether they agree.
fn may_be_agreed(session: &Session, card: &Card, is_vouched: bool, prober: Prober<'_>) -> bool {
    match (prober.for_tool(is_vouched, false).forms(Whose::Tool), &session.start_question) {
        (Err(why), Some(question)) if why.can_be_agreed() => question.0(card.name.as_str(), why),
        _ => false,
    }
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
