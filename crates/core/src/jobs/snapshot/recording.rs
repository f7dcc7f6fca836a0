//! Recording this machine.

use std::cell::OnceCell;
use std::collections::{BTreeMap, HashMap};
use std::fs;
use std::path::{Path, PathBuf};

use crate::check;
use crate::clock;
use crate::facts::{FoundProgram, INTERPRETERS, MachineFacts};
use crate::finding::Severity;
use crate::jobs::stock::{OtherMeaning, other_meanings};
use crate::os;
use crate::registry::RegistryValue;
use crate::report::Report;
use crate::resolve::{self, Caller, Disk, FileKind, LookupContext, Shell, same_place};
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::snapshot::{
    FORMAT, Private, RecordedFolder, RecordedOther, RecordedStore, RecordedSurvey, RecordedTerminal, RecordedTool,
    Recorder, Snapshot, entry_folders,
};
use crate::store::possible_files;
use crate::survey;
use crate::system::System;
use crate::terminal::{Answer, Question, ShellReply, leading, login_shell_among, registry_origins};
use crate::yard::{Card, Stock};

/// What is asked of `snapshot`.
#[derive(Debug, Clone, Default)]
pub struct RecordRequest {
    /// What the user calls the machine.
    pub name: Option<String>,
    /// Whether the commands outside the system's folders are asked for their version.
    pub versions: bool,
    pub made_by: String,
}

pub fn record(session: &Session, request: &RecordRequest) -> Result<Report<Snapshot>, JobError> {
    let machine = &session.machine;
    let stock = session.stock()?;
    let names = survey::variable_names(machine, &stock.in_service());
    let registered: Vec<&Card> = stock.in_service().into_iter().filter(|card| card.registration.is_some()).collect();
    let commands: Vec<String> =
        registered.iter().flat_map(|card| &card.commands).map(|command| command.name.clone()).collect();
    let asking = session.asking()?;
    let answers = asking.everywhere(Question { commands: &commands, variables: &names });
    session.bail_if_interrupted()?;
    let login_shell = login_shell_among(machine, asking.shells);
    let leading = leading(&answers, login_shell).map(|(_, said)| said);
    let context =
        leading.map_or_else(|| LookupContext::of(&machine.environment, &machine.home), |said| said.context.clone());
    let recorder = Recorder::new(machine, known_versions(session, &stock));
    let contexts = answers.iter().filter_map(|answer| answer.said.as_ref().ok()).map(|said| &said.context);
    let mut folders = recorder.folders(contexts);
    session.bail_if_interrupted()?;
    if request.versions {
        ask_versions(session, &mut folders)?;
    }
    let private = recorder.private();
    let variables: BTreeMap<String, String> = names
        .iter()
        .filter_map(|name| Some((name.clone(), private.text(&leading?.variable(name)?.to_string_lossy()))))
        .collect();
    let snapshot = Snapshot {
        snapshot: FORMAT,
        taken: clock::now(),
        made_by: request.made_by.clone(),
        name: request.name.clone(),
        system: os::SYSTEM.to_owned(),
        processor: os::processor().to_owned(),
        path_extensions: if machine.system() == System::Windows { context.path_extensions.clone() } else { Vec::new() },
        system_root: context.system_root.as_deref().map(|root| private.path(root)),
        machine: None,
        terminals: terminals(session, &stock, &answers, &recorder)?,
        folders: folders.into_iter().map(|(_, folder)| folder).collect(),
        variables,
        stores: stores(session, &names, private)?,
        yard: Some(private.path(session.yard.root())),
        tools: stock.iter().map(|card| tool(session, &stock, card, &answers, private)).collect(),
        survey: Some(RecordedSurvey::of(&survey::survey_answers(session, &answers, Severity::Problem)?, private)),
    };
    let machine = facts(session, request, &snapshot, &context, private)?;
    Ok(Report::new(Snapshot { machine: Some(machine), ..snapshot }).with_findings(stock.findings()))
}

fn tool(session: &Session, stock: &Stock, card: &Card, answers: &[Answer], private: &Private) -> RecordedTool {
    let in_service = stock.in_service().iter().any(|used| used.name == card.name && used.version == card.version);
    let said: Vec<&ShellReply> = answers.iter().filter_map(|answer| answer.said.as_ref().ok()).collect();
    let was_asked = in_service && card.registration.is_some() && said.len() == answers.len() && !said.is_empty();
    let other = |other: OtherMeaning| RecordedOther {
        command: other.command,
        kind: other.kind,
        file: other.file.map(|file| private.path(&file)),
    };
    let others = || other_meanings(&session.yard, card, &said).into_iter().map(other).collect();
    RecordedTool {
        name: card.name.to_string(),
        version: card.version.to_string(),
        in_service,
        registered: card.registration.as_ref().map(|registration| registration.scope.as_str().to_owned()),
        commands: card.commands.iter().map(|command| command.name.clone()).collect(),
        home: Some(private.path(&session.yard.home_of(card))),
        home_variables: card.registration.iter().flat_map(|of| &of.home_variables).map(ToString::to_string).collect(),
        received: Some(card.received.clone()),
        others: was_asked.then(others),
    }
}

/// What the machine is and has. Programs are asked for their versions only on request: that takes longer than all the rest.
fn facts(
    session: &Session,
    request: &RecordRequest,
    snapshot: &Snapshot,
    context: &LookupContext,
    private: &Private,
) -> Result<MachineFacts, JobError> {
    let environment = session.environment()?;
    let in_path = |name: &&str| {
        let candidates = resolve::candidates(Caller::typed(context.system), name, context, &Disk);
        Some(((*name).to_owned(), resolve::winner(&candidates)?.to_owned()))
    };
    let interpreters: Vec<(String, PathBuf)> = INTERPRETERS.iter().filter_map(in_path).collect();
    let shells: Vec<(String, PathBuf)> =
        session.shells()?.iter().map(|found| (found.shell.name().to_owned(), found.program.clone())).collect();
    let all: Vec<(String, PathBuf)> = interpreters.iter().chain(&shells).cloned().collect();
    let versions = if request.versions { check::versions(session, &all, &environment)? } else { HashMap::new() };
    let found = |(name, file): (String, PathBuf)| FoundProgram {
        name,
        version: versions.get(&file).cloned(),
        file: private.path(&file).into(),
    };
    let mut facts = MachineFacts::here(&environment);
    (facts.system, facts.processor) = (snapshot.system.clone().into(), snapshot.processor.clone().into());
    facts.shells = shells.into_iter().map(found).collect();
    facts.interpreters = interpreters.into_iter().map(found).collect();
    Ok(facts)
}

/// The kinds of terminals: one for each shell and PATH, the login shell's first.
fn terminals(
    session: &Session,
    stock: &Stock,
    answers: &[Answer],
    recorder: &Recorder,
) -> Result<Vec<RecordedTerminal>, JobError> {
    let asking = session.asking()?;
    let folders = OnceCell::new();
    let mut terminals: Vec<(Option<&std::ffi::OsString>, RecordedTerminal)> = Vec::new();
    for answer in answers {
        let said = answer.said.as_ref().ok();
        let path = said.map(|said| &said.context.path);
        let mode = answer.mode.name().to_owned();
        let shell = answer.shell.name();
        let same = |(known, terminal): &&mut (Option<&std::ffi::OsString>, RecordedTerminal)| {
            *known == path && terminal.shell == shell
        };
        if let Some((_, terminal)) = terminals.iter_mut().find(same) {
            if !terminal.modes.contains(&mode) {
                terminal.modes.push(mode);
            }
            continue;
        }
        let origins = said.map(|said| match session.system() {
            System::Windows => registry_origins(&session.machine, &said.context.path.to_string_lossy()),
            System::Unix => {
                let shell = asking.shells.iter().find(|installed| installed.shell == answer.shell);
                let value = &said.context.path;
                shell
                    .map(|shell| asking.origins(shell, (answer.mode, &answer.base), value, &folders))
                    .unwrap_or_default()
            }
        });
        let context = said.map(|said| &said.context);
        let mut terminal = recorder.terminal(answer.shell, context, &origins.unwrap_or_default());
        for (entry, folder) in
            terminal.entries.iter_mut().zip(context.iter().flat_map(|context| entry_folders(context)))
        {
            entry.tool = owner(session, stock, &folder);
        }
        terminals.push((path, RecordedTerminal { modes: vec![mode], ..terminal }));
    }
    let login = login_shell_among(&session.machine, asking.shells).map(Shell::name);
    terminals.sort_by_key(|(_, terminal)| Some(terminal.shell.as_str()) != login);
    Ok(terminals.into_iter().map(|(_, terminal)| terminal).collect())
}

fn owner(session: &Session, stock: &Stock, folder: &Path) -> Option<String> {
    let is_its = |card: &&&Card| {
        let registered = session.yard.registered(card);
        registered.is_some_and(|of| of.command_folders.iter().any(|own| same_place(own, folder, session.system())))
    };
    stock.registered().iter().find(is_its).map(|card| card.name.to_string())
}

fn known_versions(session: &Session, stock: &Stock) -> HashMap<PathBuf, String> {
    let of_card = |card: &Card| {
        let home = session.yard.home_of(card);
        let version = card.version.to_string();
        card.commands.iter().map(|command| (home.join(&command.path), version.clone())).collect::<Vec<_>>()
    };
    stock.iter().flat_map(of_card).collect()
}

/// Asks programs outside the system's folders for their versions, where these are not known.
fn ask_versions(session: &Session, folders: &mut [(PathBuf, RecordedFolder)]) -> Result<(), JobError> {
    let mut programs: Vec<(String, PathBuf)> = Vec::new();
    for (folder, seen) in folders.iter().filter(|(_, seen)| !seen.is_of_system) {
        let unknown = seen.files.iter().filter(|file| file.kind == FileKind::Program && file.version.is_none());
        programs.extend(unknown.map(|file| (file.name.clone(), folder.join(&file.name))));
    }
    let versions = check::versions(session, &programs, &session.environment()?)?;
    for (folder, seen) in folders {
        for file in seen.files.iter_mut().filter(|file| file.version.is_none()) {
            file.version = versions.get(&folder.join(&file.name)).cloned();
        }
    }
    Ok(())
}

/// What the stores hold of PATH and of these variables.
fn stores(session: &Session, names: &[String], private: &Private) -> Result<Vec<RecordedStore>, JobError> {
    let machine = &session.machine;
    let is_named = |name: &str| name.eq_ignore_ascii_case("Path") || names.iter().any(|n| n.eq_ignore_ascii_case(name));
    if machine.system() == System::Windows {
        let mut stores = Vec::new();
        for scope in Scope::ALL {
            let place = machine.registry().of_scope(scope);
            for raw in os::registry_values(place.hive, &place.key).unwrap_or_default() {
                let Some(value) = RegistryValue::from_raw(&raw).filter(|_| is_named(&raw.name)) else { continue };
                stores.push(RecordedStore {
                    place: scope.as_str().to_owned(),
                    line: None,
                    value: Some(raw.name.clone()),
                    kind: Some(raw.kind),
                    text: private.text(&value.text),
                });
            }
        }
        return Ok(stores);
    }
    let mut stores = Vec::new();
    for file in possible_files(&session.asking()?.startup_folders()) {
        let Ok(text) = fs::read(&file.path) else { continue };
        let text = String::from_utf8_lossy(&text);
        let touches = |line: &str| {
            let line = line.trim_start();
            !line.starts_with('#') && (line.contains("PATH") || names.iter().any(|name| line.contains(name.as_str())))
        };
        for (at, line) in text.lines().enumerate().filter(|(_, line)| touches(line)) {
            stores.push(RecordedStore {
                place: private.path(&file.path),
                line: Some(at + 1),
                value: None,
                kind: None,
                text: private.text(line),
            });
        }
    }
    Ok(stores)
}
