//! What is to be thought of a tool as a whole: its home variables, that its commands belong together, and what it needs.

use std::path::Path;

use super::by_terminal::ByTerminal;
use super::evidence::{CommandEvidence, ToolEvidence, VersionRule};
use super::shown::Shows;
use super::version_text::{self, shared_parts};
use crate::finding::{Code, Finding};
use crate::path_list::is_spelled_alike;
use crate::terminal::{Answer, ShellReply};

pub(super) fn judge_tool(tool: &ToolEvidence<'_>) -> Vec<Finding> {
    let mut findings = tool.seen.clone();
    findings.extend(home_variables(tool));
    findings.extend(companions(tool.commands));
    findings
}

/// All that was said in these terminals, also later.
fn said(answers: &[Answer]) -> impl Iterator<Item = (&Answer, &ShellReply)> {
    answers.iter().flat_map(|answer| {
        let all = std::iter::once(&answer.said).chain(answer.later.iter().map(|later| &later.said));
        all.filter_map(move |said| Some((answer, said.as_ref().ok()?)))
    })
}

/// The terminals in which a home variable of a registered tool does not lead to it.
fn home_variables(tool: &ToolEvidence<'_>) -> Vec<Finding> {
    let mut by_terminal = ByTerminal::default();
    let home = tool.home;
    for name in &tool.home_variables {
        for (answer, said) in said(tool.answers) {
            let value = said.variable(name);
            if value.is_some_and(|value| is_spelled_alike(Path::new(value), home, answer.shell.system())) {
                // Programs that put "/bin" behind it see the difference.
                if value.is_some_and(|value| value != home.as_os_str()) {
                    let seen = format!("{name} is spelled differently than {} in a new terminal", home.display());
                    let remedy = format!("run 'wyard register {}'", tool.tool);
                    by_terminal.add(Finding::new(Code::HomeVariableSeparator, seen).remedy(remedy), answer);
                }
                continue;
            }
            let is = value.map_or("not set".to_owned(), |value| value.to_string_lossy().into_owned());
            let seen = format!("{name} is {is} in a new terminal; expected {}", home.display());
            let remedy =
                format!("run 'wyard survey': it names the line that sets it, or 'wyard register {}'", tool.tool);
            by_terminal.add(Finding::new(Code::HomeVariableDiffers, seen).remedy(remedy), answer);
        }
    }
    by_terminal.told().collect()
}

/// The terminals in which a variable is not set that the tool needs.
pub(super) fn judge_variable(tool: &str, name: &str, answers: &[Answer]) -> Vec<Finding> {
    let mut by_terminal = ByTerminal::default();
    let lacking = said(answers).filter(|(_, said)| said.variable(name).is_none_or(std::ffi::OsStr::is_empty));
    for (answer, _) in lacking {
        let seen = format!("{tool} needs the variable {name} (not set) in a new terminal");
        let remedy = format!("set and export {name} in a startup file");
        by_terminal.add(Finding::new(Code::RequirementMissing, seen).remedy(remedy), answer);
    }
    by_terminal.told().collect()
}

/// Whether the commands of a tool that a new terminal runs belong together: all from one copy, all of one version.
fn companions(commands: &[CommandEvidence<'_>]) -> Vec<Finding> {
    let mut findings = Vec::new();
    let is_ours = |command: &&CommandEvidence<'_>| command.terminals.iter().all(|seen| seen.ours);
    let found = commands.iter().filter(|command| command.winner().is_some());
    let (ours, others): (Vec<_>, Vec<_>) = found.partition(is_ours);
    if let (Some(one), Some(other)) = (ours.first(), others.first()) {
        let winner = other.winner().map_or_else(String::new, |winner| winner.display().to_string());
        let seen = format!("{} is the received one, but {} is {winner}", one.name, other.name);
        findings.push(Finding::new(Code::CompanionsSplit, seen));
    }
    let mut stated: Vec<(&str, &str)> = Vec::new();
    for command in ours.iter().filter(|command| command.version_rule != VersionRule::OfItsOwn) {
        for started in command.starts.iter().filter(|started| started.shown.form.is_some()) {
            if let Some(version) = started.shown.version.as_deref()
                && !stated.iter().any(|(_, other)| version_text::same(other, version))
            {
                stated.push((command.name, version));
            }
        }
    }
    if stated.len() > 1 {
        let words: Vec<String> = stated.iter().map(|(name, version)| format!("{name} states {version}")).collect();
        findings.push(Finding::new(Code::CompanionsDisagree, words.join(", ")));
    }
    findings
}

/// How the versions that commands of a tool state are taken. The one that is named as the tool has to state its version, or else
/// those whose statements share most of it; what comes along with a tool has a version of its own. Where an answer is
/// `expected`, one of the commands has to give it, and the others may state the tool's version.
pub(super) fn version_rules(tool: &str, version: &str, expected: bool, commands: &mut [CommandEvidence<'_>]) {
    let is_said =
        |command: &CommandEvidence<'_>| command.starts.iter().any(|started| started.shown.ending == Shows::Expected);
    let any_is_said = commands.iter().any(is_said);
    let shared = |command: &CommandEvidence<'_>| {
        command.stated().map(|stated| shared_parts(stated, version)).max().unwrap_or_default()
    };
    let has_main = commands.iter().any(|command| command.name == tool && command.stated().next().is_some());
    let most = commands.iter().map(shared).max().unwrap_or_default();
    for command in commands.iter_mut() {
        let is_held = if has_main { command.name == tool } else { shared(command) == most };
        command.version_rule = match (expected, is_held) {
            (true, _) => {
                let is_stated = command.stated().next().is_some();
                let states = is_stated && command.stated().all(|stated| version_text::answers(stated, version));
                if any_is_said && states { VersionRule::Free } else { VersionRule::Held }
            }
            (false, true) => VersionRule::Held,
            (false, false) => VersionRule::OfItsOwn,
        };
    }
}
