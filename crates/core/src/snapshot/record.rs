//! Recording this machine.

use std::cell::OnceCell;
use std::collections::{BTreeMap, HashMap};
use std::fs::{self, File};
use std::path::{Path, PathBuf};

use super::format::{
    FORMAT, RecordedEntry, RecordedFile, RecordedFolder, RecordedStore, RecordedTerminal, RecordedTool, Snapshot,
};
use super::private::Private;
use crate::check;
use crate::checksum::{Algorithm, compute};
use crate::clock;
use crate::folders::SystemFolders;
use crate::machine::Machine;
use crate::naming::extension_rank;
use crate::os;
use crate::path_list::{PathList, windows};
use crate::registry::RegistryValue;
use crate::report::Report;
use crate::resolve::{Disk, FileKind, FileView as _, LookupContext, Shell};
use crate::scope::Scope;
use crate::session::{Session, SessionError};
use crate::store::possible_files;
use crate::system::System;
use crate::terminal::{Answer, Found, Origin, Question, leading, login_shell_among, registry_origins};
use crate::yard::{Card, Stock};

/// What is asked of `snapshot`.
#[derive(Debug, Clone, Default)]
pub struct RecordRequest {
    /// What the user calls the machine.
    pub name: Option<String>,
    /// Whether the commands outside the system's folders are asked for their version.
    pub versions: bool,
    /// The version of the program.
    pub made_by: String,
}

/// What puts an entry into PATH that the yard's own file does.
const OWN: &str = "Wagon Yard";

/// The largest program whose content is summed, in bytes.
const MOST_SUMMED: u64 = 32 << 20;

/// Records this machine.
///
/// # Errors
/// When the yard or its settings cannot be read, or the user asked to stop.
pub fn record(session: &Session, request: &RecordRequest) -> Result<Report<Snapshot>, SessionError> {
    let machine = &session.machine;
    let stock = session.stock()?;
    let names = variable_names(session, &stock);
    let asking = session.asking()?;
    let answers = asking.everywhere(Question { commands: &[], variables: &names });
    session.go_on()?;
    let login_shell = login_shell_among(machine, asking.shells);
    let leading = leading(&answers, login_shell).map(|(_, said)| said);
    let context =
        leading.map_or_else(|| LookupContext::of(&machine.environment, &machine.home), |said| said.context.clone());
    let recorder = Recorder::new(machine, known_versions(session, &stock));
    let contexts = answers.iter().filter_map(|answer| answer.said.as_ref().ok()).map(|said| &said.context);
    let mut folders = recorder.folders(contexts);
    session.go_on()?;
    if request.versions {
        ask_versions(session, &mut folders)?;
    }
    let recorded: Vec<RecordedFolder> = folders.into_iter().map(|(_, folder)| folder).collect();
    let private = &recorder.private;
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
        terminals: terminals(session, &answers, &recorder)?,
        folders: recorded,
        variables,
        stores: stores(session, &names, private)?,
        tools: stock.iter().map(|card| tool(card, &stock)).collect(),
    };
    Ok(Report::new(snapshot).with_findings(stock.findings()))
}

fn tool(card: &Card, stock: &Stock) -> RecordedTool {
    RecordedTool {
        name: card.name.to_string(),
        version: card.version.to_string(),
        in_service: stock.in_service().iter().any(|used| used.name == card.name && used.version == card.version),
        registered: card.registration.as_ref().map(|registration| registration.scope.as_str().to_owned()),
        commands: card.commands.iter().map(|command| command.name.clone()).collect(),
    }
}

/// The variables that tools are found by: those on the cards, and whatever is named like one.
fn variable_names(session: &Session, stock: &Stock) -> Vec<String> {
    let here = session.machine.environment.iter().filter_map(|(name, _)| name.to_str());
    let mut names: Vec<String> =
        here.filter(|name| name.ends_with("_HOME") && !name.starts_with("XDG_")).map(str::to_owned).collect();
    let of_cards = stock.iter().filter_map(|card| card.registration.as_ref()).flat_map(|of| &of.home_variables);
    names.extend(of_cards.map(ToString::to_string));
    names.sort();
    names.dedup();
    names
}

/// The kinds of terminals: one for each shell and PATH, the login shell's first.
fn terminals(
    session: &Session,
    answers: &[Answer],
    recorder: &Recorder,
) -> Result<Vec<RecordedTerminal>, SessionError> {
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
        let terminal = recorder.terminal(answer.shell, context, &origins.unwrap_or_default());
        terminals.push((path, RecordedTerminal { modes: vec![mode], ..terminal }));
    }
    let login = login_shell_among(&session.machine, asking.shells).map(Shell::name);
    terminals.sort_by_key(|(_, terminal)| Some(terminal.shell.as_str()) != login);
    Ok(terminals.into_iter().map(|(_, terminal)| terminal).collect())
}

/// Records terminals and the folders of their PATHs.
pub struct Recorder {
    private: Private,
    home: PathBuf,
    system_folders: SystemFolders,
    /// The versions that are known of files.
    known: HashMap<PathBuf, String>,
}

impl Recorder {
    /// For a machine, with the versions that are known of files.
    #[must_use]
    pub fn new(machine: &Machine, known: HashMap<PathBuf, String>) -> Self {
        let system_folders = SystemFolders::of(&machine.environment);
        Self { private: Private::of(machine), home: machine.home.clone(), system_folders, known }
    }

    /// A terminal in which lookups depend on this; `None` where it did not answer. `origins` are those of its entries.
    #[must_use]
    pub fn terminal(
        &self,
        shell: Shell,
        context: Option<&LookupContext>,
        origins: &[Option<Origin>],
    ) -> RecordedTerminal {
        let entry = |(at, raw): (usize, String)| {
            let origin = origins.get(at).and_then(Option::as_ref);
            let is_own = origin.is_some_and(|origin| origin.found == Found::Yard);
            let place = |origin: &Origin| if is_own { OWN.to_owned() } else { self.private.text(&origin.place) };
            RecordedEntry {
                // A `~` that nobody has expanded is told from the home.
                raw: RecordedEntry::escaped(&raw).unwrap_or_else(|| self.private.text(&raw)),
                line: origin.filter(|_| !is_own).and_then(|origin| origin.line),
                origin: origin.map(place),
            }
        };
        RecordedTerminal {
            shell: shell.name().to_owned(),
            modes: Vec::new(),
            entries: context.map(raw_entries).unwrap_or_default().into_iter().enumerate().map(entry).collect(),
            of_system: context.map_or(0, |context| context.of_system),
            answered: context.is_some(),
        }
    }

    /// The folders in the PATHs of terminals, each with its place. A relative one begins at the home, where terminals open.
    #[must_use]
    pub fn folders<'a>(&self, contexts: impl Iterator<Item = &'a LookupContext>) -> Vec<(PathBuf, RecordedFolder)> {
        let mut folders: Vec<(PathBuf, RecordedFolder)> = Vec::new();
        for context in contexts {
            let current = [self.home.clone()];
            for folder in context.folders().iter().chain(&current) {
                let folder = self.home.join(folder);
                if folders.iter().all(|(known, _)| known.as_os_str() != folder.as_os_str()) {
                    let recorded = self.folder(&folder, context);
                    folders.push((folder, recorded));
                }
            }
        }
        folders
    }

    fn folder(&self, folder: &Path, context: &LookupContext) -> RecordedFolder {
        let mut files = Vec::new();
        let listed = fs::read_dir(folder);
        let exists = folder.is_dir();
        let is_of_system = self.system_folders.hold(folder);
        for entry in listed.into_iter().flatten().flatten() {
            let (name, path) = (entry.file_name(), entry.path());
            let Some(name) = name.to_str().filter(|name| is_looked_for(name, context)) else { continue };
            let is_link = entry.file_type().is_ok_and(|kind| kind.is_symlink());
            let kind = Disk.look(&path);
            if kind == FileKind::Missing {
                continue;
            }
            let leads_to = is_link.then(|| fs::canonicalize(&path).ok()).flatten();
            let is_program = kind == FileKind::Program;
            let bytes = if is_program { fs::metadata(&path).map_or(0, |seen| seen.len()) } else { 0 };
            let real = leads_to.clone().unwrap_or_else(|| path.clone());
            files.push(RecordedFile {
                name: name.to_owned(),
                kind,
                bytes,
                leads_to: leads_to.map(|real| self.private.path(&real)),
                sha256: if is_program && !is_of_system { sum(&real, bytes) } else { None },
                version: self.known.get(&path).or_else(|| self.known.get(&real)).cloned(),
            });
        }
        files.sort_by(|a, b| a.name.cmp(&b.name));
        let real = fs::canonicalize(folder).ok().filter(|real| context.system == System::Unix && real != folder);
        let leads_to = real.map(|real| self.private.path(&real));
        RecordedFolder { folder: self.private.path(folder), leads_to, exists, is_of_system, files }
    }
}

/// The entries of PATH as written.
fn raw_entries(context: &LookupContext) -> Vec<String> {
    match context.system {
        System::Unix => {
            let list = PathList::parse(&context.path);
            list.entries().map(|entry| entry.raw.to_string_lossy().into_owned()).collect()
        }
        System::Windows => {
            let text = context.path.to_string_lossy();
            windows::parts(&text).into_iter().map(str::to_owned).collect()
        }
    }
}

/// Whether a lookup could find a file of this name.
fn is_looked_for(name: &str, context: &LookupContext) -> bool {
    let lower = name.to_ascii_lowercase();
    context.system == System::Unix
        || extension_rank(&lower).is_some()
        || context.path_extensions.iter().any(|extension| lower.ends_with(extension.as_str()))
}

fn sum(file: &Path, bytes: u64) -> Option<String> {
    if bytes > MOST_SUMMED {
        return None;
    }
    let sums = compute(&[Algorithm::Sha256], File::open(file).ok()?, &crate::progress::Stop::default()).ok()?;
    sums.into_iter().next().map(|sum| sum.value)
}

/// The versions that cards tell of files.
fn known_versions(session: &Session, stock: &Stock) -> HashMap<PathBuf, String> {
    let of_card = |card: &Card| {
        let home = session.yard.home_of(card);
        let version = card.version.to_string();
        card.commands.iter().map(|command| (home.join(&command.path), version.clone())).collect::<Vec<_>>()
    };
    stock.iter().flat_map(of_card).collect()
}

/// Asks programs outside the system's folders for their versions, where these are not known.
fn ask_versions(session: &Session, folders: &mut [(PathBuf, RecordedFolder)]) -> Result<(), SessionError> {
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
fn stores(session: &Session, names: &[String], private: &Private) -> Result<Vec<RecordedStore>, SessionError> {
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn windows_looks_for_what_has_an_extension() {
        let context = |system| LookupContext { path_extensions: vec![".py".to_owned()], ..LookupContext::new(system) };
        for (name, windows) in [("t.exe", true), ("T.PY", true), ("t", false), ("t.dll", false)] {
            assert_eq!(is_looked_for(name, &context(System::Windows)), windows, "{name}");
            assert!(is_looked_for(name, &context(System::Unix)));
        }
    }
}
