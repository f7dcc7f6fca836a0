//! A registered tool, as the stores need it.

use std::path::PathBuf;

use super::card::Card;
use super::place::Yard;
use crate::layout::{CompletionShell, completes};

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Registered {
    pub home: PathBuf,
    pub home_variables: Vec<String>,
    /// Its command folders, absolute, in the order they have in PATH.
    pub command_folders: Vec<PathBuf>,
    pub completions: Vec<ToolCompletion>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ToolCompletion {
    pub shell: CompletionShell,
    pub command: String,
    pub file: PathBuf,
}

impl Yard {
    /// A tool as the stores need it; `None` where it is not registered.
    pub fn registered(&self, card: &Card) -> Option<Registered> {
        let registration = card.registration.as_ref()?;
        let home = self.home_of(card);
        let folder = |f: &PathBuf| if f.as_os_str().is_empty() { home.clone() } else { home.join(f) };
        let completion = |file: &PathBuf| {
            let (shell, command) = completes(file, card.commands.iter().map(|command| command.name.as_str()))?;
            Some(ToolCompletion { shell, command: command.to_owned(), file: home.join(file) })
        };
        Some(Registered {
            completions: card.layout.completions.iter().filter_map(completion).collect(),
            command_folders: card.layout.command_folders.iter().map(folder).collect(),
            home_variables: registration.home_variables.iter().map(ToString::to_string).collect(),
            home,
        })
    }
}
