//! The check of commands that are not the yard's: those in the folders of new terminals' PATH.

use std::collections::HashSet;
use std::path::PathBuf;

use super::command::Subject;
use super::report::{CheckedTools, ToolCheck};
use super::round::TerminalPass;
use crate::folders::{SystemFolders, commands_in};
use crate::report::Report;
use crate::resolve::{self, Caller, ListedDisk, LookupContext, Shell, same_file};
use crate::session::{JobError, Session};
use crate::terminal::Question;

/// Checks the commands in every folder of any new terminal's PATH, less those of the yard and the system's own: that each of
/// them runs from there in every new terminal that has the folder and, with `runs`, that it starts. What is hidden by another
/// file everywhere is nobody's command. The tools of the report are folders.
pub fn check_path(session: &Session, runs: bool) -> Result<Report<CheckedTools>, JobError> {
    let system = session.system();
    let view = ListedDisk::new(system);
    let of_system = SystemFolders::of(&session.machine.environment);
    let answers = session.asking()?.everywhere(Question::default());
    let mut terminals: Vec<(Shell, &LookupContext)> = Vec::new();
    for answer in &answers {
        let Ok(said) = &answer.said else { continue };
        if !terminals.contains(&(answer.shell, &said.context)) {
            terminals.push((answer.shell, &said.context));
        }
    }
    let mut seen: HashSet<PathBuf> = HashSet::new();
    let mut folders: Vec<(PathBuf, Vec<Subject>)> = Vec::new();
    for folder in terminals.iter().flat_map(|(_, context)| context.folders()) {
        let real = std::fs::canonicalize(&folder).unwrap_or_else(|_| folder.clone());
        if of_system.hold_real(&folder) || folder.starts_with(session.yard.root()) || !seen.insert(real) {
            continue;
        }
        let mut subjects = Vec::new();
        for name in commands_in(&folder, system) {
            let wins = |(shell, context): &(Shell, &LookupContext)| {
                let caller =
                    if system == crate::system::System::Unix { Caller::from(*shell) } else { Caller::typed(system) };
                let candidates = resolve::candidates(caller, &name, context, &view);
                let winner = resolve::winner(&candidates)?;
                let is_there = winner.parent().is_some_and(|parent| same_file(parent, &folder));
                is_there.then(|| winner.to_owned())
            };
            if let Some(file) = terminals.iter().find_map(wins) {
                subjects.push(Subject::stranger(name, file));
            }
        }
        folders.push((folder, subjects));
    }
    let commands: Vec<String> =
        folders.iter().flat_map(|(_, subjects)| subjects.iter().map(|subject| subject.name.clone())).collect();
    let round = TerminalPass::new(session, Question { commands: &commands, variables: &[] }, runs)?;
    let mut tools = Vec::new();
    for (folder, subjects) in folders.into_iter().filter(|(_, subjects)| !subjects.is_empty()) {
        let (name, commands) = (folder.display().to_string(), round.commands(&subjects)?);
        tools.push(ToolCheck::new(name, String::new(), runs, commands, Vec::new(), Vec::new()));
    }
    Ok(Report::new(CheckedTools { tools, evidence: Vec::new() }))
}
