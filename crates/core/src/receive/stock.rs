//! What the yard holds.

use std::collections::HashMap;
use std::path::PathBuf;

use serde::Serialize;

use crate::check;
use crate::layout::{Variable, compare_versions};
use crate::machine::Machine;
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, Kind, Standing, same_file};
use crate::terminal::{self, Asking, Question};
use crate::yard::{Card, Scope, Yard, YardError};

/// The report of `stock`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct StockReport {
    /// The format number.
    pub format: u32,
    /// `stock`.
    pub report: &'static str,
    /// The yard's folder.
    pub yard: PathBuf,
    /// The tools, by name and then by version, older ones first.
    pub tools: Vec<StockTool>,
    /// Copies in PATH that are not the yard's.
    pub elsewhere: Vec<ForeignCopy>,
}

/// A received version of a tool.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct StockTool {
    /// The tool.
    pub name: String,
    /// Its version.
    pub version: String,
    /// Whether `NAME` alone means this version.
    pub in_service: bool,
    /// Whose PATH it is registered in; null for none.
    pub registered: Option<Scope>,
    /// What new terminals run; null where it is not in service or nobody was asked.
    pub new_terminals: Option<NewTerminals>,
    /// The variables that point to its home.
    pub home_variables: Vec<Variable>,
    /// Its home.
    pub home: PathBuf,
    /// Its commands.
    pub commands: Vec<String>,
    /// When it was received (RFC 3339).
    pub received: String,
}

/// What new terminals make of the commands of a tool in service.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct NewTerminals {
    /// Whether every command is this one's in every new terminal.
    pub this: bool,
    /// The commands that somewhere are not.
    pub others: Vec<OtherMeaning>,
}

/// A command of a tool that means something else in a new terminal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct OtherMeaning {
    /// The command.
    pub command: String,
    /// What answers.
    pub kind: Kind,
    /// The file that runs; null where none does.
    pub file: Option<PathBuf>,
}

/// A copy of a tool's first command that lies in PATH and is not the yard's.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ForeignCopy {
    /// The tool whose command it is.
    pub name: String,
    /// The file.
    pub path: PathBuf,
    /// The version it states; null for none.
    pub version: Option<String>,
}

/// Lists the stock. With `asks` new terminals are asked what they run, and copies that are not the yard's for their
/// version.
///
/// # Errors
/// When the cards or settings cannot be read.
pub fn stock(machine: &Machine, asks: bool, stop: &Stop) -> Result<StockReport, YardError> {
    let yard = Yard::of(machine);
    let in_service = yard.in_service()?;
    let registered: Vec<&Card> = in_service.iter().filter(|card| asks && card.registration.is_some()).collect();
    let looked = if registered.is_empty() { Looked::default() } else { look(machine, &yard, &registered, stop)? };
    let mut meanings = looked.meanings;
    let tools = yard.cards()?.into_iter().map(|card| StockTool {
        in_service: in_service.iter().any(|c| c.name == card.name && c.version == card.version),
        registered: card.registration.as_ref().map(|r| r.scope),
        home: yard.home_of(&card),
        new_terminals: meanings.remove(&(card.name.to_string(), card.version.to_string())),
        home_variables: card.registration.map(|r| r.home_variables).unwrap_or_default(),
        commands: card.commands.into_iter().map(|c| c.name).collect(),
        name: card.name.into(),
        version: card.version.into(),
        received: card.received,
    });
    let mut tools: Vec<StockTool> = tools.collect();
    tools.sort_by(|a, b| a.name.cmp(&b.name).then_with(|| compare_versions(&a.version, &b.version)));
    Ok(StockReport { format: 1, report: "stock", yard: yard.root().to_owned(), tools, elsewhere: looked.elsewhere })
}

/// What new terminals say of tools.
#[derive(Default)]
struct Looked {
    meanings: HashMap<(String, String), NewTerminals>,
    elsewhere: Vec<ForeignCopy>,
}

fn look(machine: &Machine, yard: &Yard, cards: &[&Card], stop: &Stop) -> Result<Looked, YardError> {
    let settings = yard.settings()?;
    let shells = terminal::installed(machine, &settings.shells);
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let names: Vec<String> = cards.iter().flat_map(|c| c.commands.iter().map(|c| c.name.clone())).collect();
    let answers = asking.everywhere(Question { commands: &names, variables: &[] });
    let said: Vec<_> = answers.iter().filter_map(|a| Some((a.shell, a.said.as_ref().ok()?))).collect();
    let mut looked = Looked::default();
    let mut copies: Vec<(String, PathBuf)> = Vec::new();
    let mut index = 0;
    for card in cards {
        let home = yard.home_of(card);
        let mut others: Vec<OtherMeaning> = Vec::new();
        for command in &card.commands {
            let file = home.join(&command.path);
            for meaning in said.iter().map(|(_, said)| &said.meanings[index]) {
                let this = meaning.kind == Kind::File && meaning.file.as_ref().is_some_and(|f| same_file(f, &file));
                let runs = meaning.file.clone().filter(|_| meaning.kind == Kind::File);
                let other = OtherMeaning { command: command.name.clone(), kind: meaning.kind, file: runs };
                if !this && !others.contains(&other) {
                    others.push(other);
                }
            }
            index += 1;
        }
        for (shell, said) in &said {
            let Some(first) = card.commands.first() else { continue };
            for candidate in resolve::candidates(Caller::from(*shell), &first.name, &said.around, &Disk) {
                let runs = !matches!(candidate.standing, Standing::Skipped);
                let known = copies.iter().any(|(_, copy)| same_file(copy, &candidate.path));
                let ours = candidate.path.starts_with(yard.root()) || candidate.path.starts_with(&home);
                if runs && !known && !ours {
                    copies.push((first.name.clone(), candidate.path));
                }
            }
        }
        // A terminal that gave no answer is not one that runs it.
        let this = others.is_empty() && said.len() == answers.len() && !said.is_empty();
        looked.meanings.insert((card.name.to_string(), card.version.to_string()), NewTerminals { this, others });
    }
    let environment = asking.environment().unwrap_or_default();
    let versions = check::versions(&copies, &environment, stop);
    let copy = |((name, path), version)| ForeignCopy { name, path, version };
    looked.elsewhere = copies.into_iter().zip(versions).map(copy).collect();
    Ok(looked)
}
