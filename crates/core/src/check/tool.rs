//! What is found out about a tool as a whole: where its home variables lead, whether its folders are safe, what it needs, and
//! what can be done where PATH does not lead to it.

use super::command::Subject;
use super::evidence::{Advice, CommandEvidence, Evidence, ToolEvidence};
use super::judge::judge;
use super::judge_tool::version_rules;
use super::report::{Requirement, RequirementKind, ToolCheck};
use super::round::TerminalPass;
use super::startup_lines::StartupLines;
use crate::finding::{Code, Finding};
use crate::os;
use crate::report::Verdict;
use crate::resolve::{Kind, same_file};
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::system::System;
use crate::terminal::{Again, Answer};
use crate::yard::Card;

/// Checks one tool: `seen` was found for all tools alike.
pub(super) fn check(
    session: &Session,
    card: &Card,
    subjects: &[Subject],
    round: &TerminalPass<'_>,
    lines: &dyn Fn() -> StartupLines,
    seen: &[Finding],
) -> Result<ToolCheck, JobError> {
    let home = session.yard.home_of(card);
    let (name, version) = (card.name.to_string(), card.version.to_string());
    let mut advice = Advice { is_registered: card.registration.is_some(), ..Advice::default() };
    let mut seen: Vec<Finding> = writable_by_others(card, session).into_iter().chain(seen.iter().cloned()).collect();
    let loses = advice.is_registered && loses_by_path(subjects, &round.answers);
    if (loses || round.answers.iter().any(|answer| !answer.later.is_empty())) && session.system() == System::Unix {
        let lines = lines();
        advice.remembering = lines.about(Again::SecondTerminal);
        advice.deferring = lines.about(Again::NextPrompt);
        if loses {
            (advice.line, advice.lacks_block) = (lines.remedy(), lines.lacks_block());
            let names: Vec<&str> = card.commands.iter().map(|command| command.name.as_str()).collect();
            seen.extend(lines.findings(&names, true));
        }
    }
    let mut commands = round.look(subjects, &advice)?;
    let expected = card.probe.as_ref().is_some_and(|probe| probe.expect.is_some());
    version_rules(&name, &version, expected, &mut commands);
    let home_variables = card.registration.iter().flat_map(|r| &r.home_variables).map(ToString::to_string).collect();
    let tool =
        ToolEvidence { tool: &name, home: &home, home_variables, answers: &round.answers, commands: &commands, seen };
    let mut findings = judge(&Evidence::Tool(&tool));
    let (requirements, lacking) = requirements(card, round)?;
    findings.extend(lacking);
    let commands = commands.iter().map(CommandEvidence::check).collect();
    Ok(ToolCheck::new(name, version, round.runs, commands, requirements, findings))
}

/// Whether PATH does not lead to the tool in some terminal.
fn loses_by_path(subjects: &[Subject], answers: &[Answer]) -> bool {
    let said = || answers.iter().filter_map(|answer| answer.said.as_ref().ok());
    subjects.iter().any(|subject| {
        said().any(|said| {
            let meaning = said.meaning(&subject.name);
            let is_ours = || meaning.file.as_ref().zip(subject.file.as_ref()).is_some_and(|(a, b)| same_file(a, b));
            matches!(meaning.kind, Kind::File | Kind::None) && !is_ours()
        })
    })
}

/// The command folders of a registered tool that somebody else could put programs into.
fn writable_by_others(card: &Card, session: &Session) -> Option<Finding> {
    let home = session.yard.home_of(card);
    let mut folders = card.registration.iter().flat_map(|_| &card.layout.command_folders).map(|below| home.join(below));
    let for_every_user = card.registration.as_ref().is_some_and(|registration| registration.scope == Scope::System);
    let untrusted = |folder: &std::path::Path| match for_every_user {
        true => os::untrusted_for_everybody(folder),
        false => os::untrusted_on_way(folder),
    };
    let folder = folders.find(|folder| os::others_may_write(folder) || untrusted(folder).is_some())?;
    let seen = format!("another user can put programs into {}", folder.display());
    Some(Finding::new(Code::WritableByOthers, seen).remedy("remove write access for other users"))
}

/// Whether what a tool needs is there in every new terminal and, where programs may be started, works there.
fn requirements(card: &Card, round: &TerminalPass<'_>) -> Result<(Vec<Requirement>, Vec<Finding>), JobError> {
    let (mut all, mut findings) = (Vec::new(), Vec::new());
    let (subjects, advice) = (round.required(card)?, Advice::default());
    for command in round.look(&subjects, &advice)? {
        let (requirement, told) = command.requirement();
        all.push(requirement);
        findings.extend(told);
    }
    for variable in &card.requires.variables {
        let name = variable.to_string();
        let told = judge(&Evidence::Variable { tool: card.name.as_str(), name: &name, answers: &round.answers });
        let said = round.answers.iter().filter_map(|answer| answer.said.as_ref().ok());
        let is = said.filter_map(|said| said.variable(&name)).rfind(|value| !value.is_empty());
        let (kind, verdict) = (RequirementKind::Variable, Verdict::worst(&told));
        all.push(Requirement { kind, verdict, is: is.map(Into::into), name });
        findings.extend(told);
    }
    Ok((all, findings))
}
