//! What new terminals make of the commands of the yard, and the copies beside them.

use std::collections::HashMap;
use std::path::PathBuf;

use super::report::{ForeignCopy, NewTerminals, OtherMeaning};
use crate::path_list::lies_in;
use crate::report::ReportPath;
use crate::resolve::{self, Caller, Kind, ListedDisk, Standing, same_file};
use crate::session::{JobError, Session};
use crate::terminal::{Question, ShellReply};
use crate::yard::{Card, Yard};

#[derive(Default)]
pub(super) struct Looked {
    pub meanings: HashMap<(String, String), NewTerminals>,
    pub elsewhere: Vec<ForeignCopy>,
}

/// Asks new terminals what the commands of these tools mean.
pub(super) fn look(session: &Session, cards: &[&Card]) -> Result<Looked, JobError> {
    let (yard, asking) = (&session.yard, session.asking()?);
    let names: Vec<String> = cards.iter().flat_map(|c| c.commands.iter().map(|c| c.name.clone())).collect();
    let answers = asking.everywhere(Question { commands: &names, variables: &[] });
    let said: Vec<_> = answers.iter().filter_map(|a| Some((a.shell, a.said.as_ref().ok()?))).collect();
    let mut looked = Looked::default();
    let disk = ListedDisk::new(session.system());
    let mut copies: Vec<(String, PathBuf)> = Vec::new();
    for card in cards {
        let home = yard.home_of(card);
        let all_said: Vec<&ShellReply> = said.iter().map(|(_, said)| *said).collect();
        let others = other_meanings(yard, card, &all_said);
        for ((shell, said), command) in
            said.iter().flat_map(|said| card.commands.iter().map(move |command| (said, command)))
        {
            for candidate in resolve::candidates(Caller::Shell(*shell), &command.name, &said.context, &disk) {
                let runs = !matches!(candidate.standing, Standing::Skipped);
                let known = copies.iter().any(|(_, copy)| same_file(copy, &candidate.path));
                let ours = [yard.root(), &home].iter().any(|folder| lies_in(&candidate.path, folder, shell.system()));
                if runs && !known && !ours {
                    copies.push((command.name.clone(), candidate.path));
                }
            }
        }
        // A terminal that gave no answer is not one that runs it.
        let this = others.is_empty() && said.len() == answers.len() && !said.is_empty();
        looked.meanings.insert((card.name.to_string(), card.version.to_string()), NewTerminals { this, others });
    }
    // On behalf of a list nothing is started.
    let copy = |(name, path): (String, PathBuf)| ForeignCopy { name, path: path.into(), version: None };
    looked.elsewhere = copies.into_iter().map(copy).collect();
    Ok(looked)
}

/// The commands of a tool that mean something else in a terminal of which this was said.
pub fn other_meanings(yard: &Yard, card: &Card, said: &[&ShellReply]) -> Vec<OtherMeaning> {
    let home = yard.home_of(card);
    let mut others: Vec<OtherMeaning> = Vec::new();
    for command in &card.commands {
        let file = home.join(&command.path);
        for meaning in said.iter().map(|said| said.meaning(&command.name)) {
            let this = meaning.kind == Kind::File && meaning.file.as_ref().is_some_and(|f| same_file(f, &file));
            let runs = meaning.file.clone().filter(|_| meaning.kind == Kind::File);
            let other =
                OtherMeaning { command: command.name.clone(), kind: meaning.kind, file: runs.map(ReportPath::from) };
            if !this && !others.contains(&other) {
                others.push(other);
            }
        }
    }
    others
}
