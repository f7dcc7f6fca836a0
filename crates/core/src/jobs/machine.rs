//! `machine`: what this machine is and has, as far as programs ask for it.

use std::path::PathBuf;

use crate::check;
use crate::environment::Environment;
use crate::facts::{FoundProgram, INTERPRETERS, MachineFacts};
use crate::report::Report;
use crate::resolve::Kind;
use crate::session::{JobError, Session};
use crate::snapshot::Snapshot;
use crate::terminal::Question;

pub fn run(session: &Session) -> Result<Report<MachineFacts>, JobError> {
    let names = INTERPRETERS.map(str::to_owned);
    let asking = session.asking()?;
    let answers = asking.everywhere(Question { commands: &names, variables: &[] });
    session.bail_if_interrupted()?;
    let said = answers.iter().find_map(|answer| answer.said.as_ref().ok());
    let environment: Environment =
        said.map_or_else(|| session.machine.environment.clone(), |said| said.environment.clone());
    let interpreters: Vec<(String, PathBuf)> = names
        .iter()
        .filter_map(|name| {
            let meaning = said?.meaning(name);
            Some((name.clone(), meaning.file.clone().filter(|_| meaning.kind == Kind::File)?))
        })
        .collect();
    let shells: Vec<(String, PathBuf)> =
        session.shells()?.iter().map(|found| (found.shell.name().to_owned(), found.program.clone())).collect();
    let all: Vec<_> = interpreters.iter().chain(&shells).cloned().collect();
    let versions = check::versions(session, &all, &environment)?;
    session.bail_if_interrupted()?;
    let found = |(name, file): (String, PathBuf)| {
        let version = versions.get(&file).cloned();
        FoundProgram { name, file: file.into(), version }
    };
    let mut facts = MachineFacts::here(&environment);
    facts.shells = shells.into_iter().map(found).collect();
    facts.interpreters = interpreters.into_iter().map(found).collect();
    Ok(Report::new(facts))
}

/// The machine of a snapshot; of an early one only its system and processor are known.
pub fn recorded(snapshot: &Snapshot) -> Report<MachineFacts> {
    let early = || MachineFacts::new(snapshot.system.clone().into(), snapshot.processor.clone().into());
    Report::new(snapshot.machine.clone().unwrap_or_else(early))
}
