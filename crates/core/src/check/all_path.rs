//! The check of commands that are not the yard's: those in the folders of a new terminal's PATH.

use std::collections::HashSet;
use std::path::PathBuf;

use super::command::Subject;
use super::error::CheckError;
use super::report::{CheckedTools, ToolCheck};
use super::round::Round;
use crate::environment::Environment;
use crate::folders::{SystemFolders, commands_in};
use crate::report::{Report, Verdict};
use crate::resolve::{self, Caller, ListedDisk, LookupContext};
use crate::session::Session;
use crate::terminal::Question;

/// Checks the commands in every folder of a new terminal's PATH, less those of the yard and the system's own: that each
/// of them runs from there in every new terminal and, with `runs`, that it starts. The tools of the report are folders.
///
/// # Errors
/// As [`super::check`].
pub fn check_path(session: &Session, runs: bool) -> Result<Report<CheckedTools>, CheckError> {
    let system = session.system();
    let environment = session.asking()?.environment().unwrap_or_else(|| Environment::new(system));
    let context = LookupContext::of(&environment, &session.machine.home);
    let view = ListedDisk::new(system);
    let of_system = SystemFolders::of(&session.machine.environment);
    let mut seen: HashSet<PathBuf> = HashSet::new();
    let mut names: HashSet<String> = HashSet::new();
    let mut folders: Vec<(PathBuf, Vec<Subject>)> = Vec::new();
    for folder in context.folders() {
        let real = std::fs::canonicalize(&folder).unwrap_or_else(|_| folder.clone());
        if of_system.hold_real(&folder) || folder.starts_with(session.yard.root()) || !seen.insert(real) {
            continue;
        }
        // What an earlier folder has too is that one's.
        let mut subjects = Vec::new();
        for name in commands_in(&folder, system).into_iter().filter(|name| names.insert(name.clone())) {
            let candidates = resolve::candidates(Caller::typed(system), &name, &context, &view);
            if let Some(file) = resolve::winner(&candidates) {
                subjects.push(Subject::stranger(name, file.to_owned()));
            }
        }
        folders.push((folder, subjects));
    }
    let commands: Vec<String> =
        folders.iter().flat_map(|(_, subjects)| subjects.iter().map(|subject| subject.name.clone())).collect();
    let round = Round::new(session, Question { commands: &commands, variables: &[] }, runs)?;
    let mut tools = Vec::new();
    for (folder, subjects) in folders.into_iter().filter(|(_, subjects)| !subjects.is_empty()) {
        let commands = round.commands(&subjects)?;
        let verdict = commands.iter().map(|c| c.verdict).max().unwrap_or(Verdict::Good);
        let name = folder.display().to_string();
        let (requirements, findings) = (Vec::new(), Vec::new());
        tools.push(ToolCheck { name, version: String::new(), commands, ran: runs, verdict, requirements, findings });
    }
    Ok(CheckedTools::report(tools))
}
