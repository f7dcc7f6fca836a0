//! The commands that a download would bring, and what becomes of them here.

use std::path::{Path, PathBuf};

use super::report::InspectedCommand;
use crate::environment::Environment;
use crate::jobs::fit::Unplaced;
use crate::layout;
use crate::machine::Machine;
use crate::os;
use crate::path_list::is_spelled_alike;
use crate::program::{Fit, Program};
use crate::report::ReportPath;
use crate::resolve::{self, Caller, Kind, ListedDisk, LookupContext, Standing};
use crate::system::System;
use crate::terminal::{Answer, ShellReply};

/// The commands of a tool, each with what new terminals find under its name now, as `answers` say, and with how it fits this
/// machine. `of_system` are the folders that come before those of the user.
pub(super) fn commands(
    tool: &Unplaced<'_>,
    fits: Vec<Option<Fit>>,
    machine: &Machine,
    answers: &[Answer],
    of_system: &[PathBuf],
) -> Vec<InspectedCommand> {
    let said: Vec<(Caller, &ShellReply)> =
        answers.iter().filter_map(|answer| Some((Caller::from(answer.shell), answer.said.as_ref().ok()?))).collect();
    let environment: &Environment = said.first().map_or(&machine.environment, |(_, said)| &said.environment);
    let mut contexts: Vec<(Caller, LookupContext)> = Vec::new();
    for (caller, said) in &said {
        if !contexts.iter().any(|(known, context)| known == caller && context.path == said.context.path) {
            contexts.push((*caller, said.context.clone()));
        }
    }
    if contexts.is_empty() {
        contexts.push((Caller::plain_shell(machine.system()), LookupContext::of(environment, &machine.home)));
    }
    let view = ListedDisk::new(machine.system());
    let one = |(command, fit): (&layout::Command, Option<Fit>)| {
        let entry = tool.files.at(&tool.layout.wrapper.join(&command.path));
        let fit = fit.unwrap_or_default();
        let (mut here, mut stays_hidden): (Vec<ReportPath>, bool) = (Vec::new(), false);
        for (caller, context) in &contexts {
            let candidates = resolve::candidates(*caller, &command.name, context, &view);
            for candidate in candidates.iter().filter(|c| c.standing != Standing::Skipped) {
                let file = ReportPath::from(candidate.path.clone());
                if !here.contains(&file) {
                    here.push(file);
                }
            }
            let folder = candidates.iter().find(|c| c.standing == Standing::Winner).and_then(|c| c.path.parent());
            stays_hidden |= folder.is_some_and(|folder| is_of_system(folder, of_system));
            stays_hidden |= resolve::builtin(*caller, &command.name);
        }
        let of_shell = |said: &ShellReply| matches!(said.meaning(&command.name).kind, Kind::Alias | Kind::Function);
        stays_hidden |= said.iter().any(|(_, said)| of_shell(said));
        InspectedCommand {
            name: command.name.clone(),
            path: command.path.clone(),
            program: command.program,
            os: command.os.clone(),
            arch: command.arch.clone(),
            hindrance: entry
                .and_then(|entry| hindrance(entry.program.as_ref()?, os::SYSTEM, os::processor()))
                .or_else(|| Some(format!("{}; {}", fit.hindrance()?, fit.remedy()?))),
            unknown: fit.unknown.into_iter().next(),
            is_translated: fit.is_translated,
            here,
            here_version: None,
            stays_hidden,
        }
    };
    tool.layout.commands.iter().zip(fits).map(one).collect()
}

/// Whether a folder is one of the system's PATH, which comes before the user's and so before what is registered there.
fn is_of_system(folder: &Path, system: &[PathBuf]) -> bool {
    system.iter().any(|one| is_spelled_alike(one, folder, System::Windows))
}

pub(super) fn hindrance(program: &Program, system: &str, processor: &str) -> Option<String> {
    if !program.is_native(system, processor) {
        let words = match (program.os, program.arch) {
            (Some(os), Some(arch)) => format!("it is for {os} on {arch}"),
            (Some(os), None) => format!("it is for {os}"),
            _ => "it is for another machine".to_owned(),
        };
        return Some(words);
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_of_the_system_is_known_however_it_is_spelled() {
        let system = [PathBuf::from(r"C:\Windows\system32\")];
        assert!(is_of_system(Path::new(r"c:\windows\System32"), &system));
        assert!(!is_of_system(Path::new(r"C:\Windows\system32\x"), &system));
    }
}
