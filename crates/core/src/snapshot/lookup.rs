//! Lookups on a recorded machine, by its system's rules.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use super::format::{RecordedEntry, RecordedFile, RecordedFolder, RecordedTerminal, Snapshot};
use crate::path_list::windows;
use crate::resolve::{self, Caller, Candidate, FileKind, FileView, LookupContext, Shell, Standing};
use crate::system::System;

/// What stands for the home while a path has to be absolute.
const HOME: [&str; 2] = ["/~", r"C:\~"];

#[derive(Debug)]
pub struct Lookup<'a> {
    pub snapshot: &'a Snapshot,
    folders: HashMap<String, &'a RecordedFolder>,
    files: HashMap<String, HashMap<String, &'a RecordedFile>>,
    real_folders: HashMap<String, &'a str>,
    system: System,
}

#[derive(Debug, Clone)]
pub struct Meaning<'a> {
    /// The file; the home is `~`.
    pub path: String,
    pub file: Option<&'a RecordedFile>,
    pub entry: Option<&'a RecordedEntry>,
}

impl<'a> Lookup<'a> {
    pub fn new(snapshot: &'a Snapshot) -> Self {
        let system = snapshot.family();
        let mut lookup =
            Self { snapshot, folders: HashMap::new(), files: HashMap::new(), real_folders: HashMap::new(), system };
        for folder in &snapshot.folders {
            let key = |name: &str| if system == System::Windows { name.to_lowercase() } else { name.to_owned() };
            let files = folder.files.iter().map(|file| (key(&file.name), file)).collect();
            let place = lookup.key(&absolute(&folder.folder, system));
            if let Some(real) = &folder.leads_to {
                lookup.real_folders.insert(place.clone(), real);
            }
            lookup.folders.insert(place.clone(), folder);
            lookup.files.insert(place, files);
        }
        lookup
    }

    /// The callers whose terminals were recorded, each with its terminal.
    pub fn terminals(&self) -> impl Iterator<Item = (Caller, &'a RecordedTerminal)> {
        let answered = self.snapshot.terminals.iter().filter(|terminal| terminal.answered);
        answered.filter_map(|terminal| Some((Caller::from(terminal.shell.parse::<Shell>().ok()?), terminal)))
    }

    /// The files that a name could mean in a terminal, in order. Aliases and functions of shells are not in a snapshot.
    pub fn candidates(&self, caller: Caller, terminal: &RecordedTerminal, name: &str) -> Vec<Candidate> {
        resolve::candidates(caller, name, &self.context(terminal), self)
    }

    pub fn meaning(&self, caller: Caller, terminal: &'a RecordedTerminal, name: &str) -> Option<Meaning<'a>> {
        let candidates = self.candidates(caller, terminal, name);
        let winner = candidates.iter().find(|candidate| candidate.standing == Standing::Winner)?;
        let entry = winner.entry.as_ref().and_then(|(_, at)| terminal.entries.get(*at));
        let (shown, file) = (self.shown(&winner.path), self.file(&winner.path));
        // On Windows as the folder spells it, not as it was typed.
        let path = match (file, shown.rfind('\\')) {
            (Some(file), Some(at)) if self.system == System::Windows => format!("{}\\{}", &shown[..at], file.name),
            _ => shown,
        };
        Some(Meaning { path, file, entry })
    }

    pub fn file(&self, path: &Path) -> Option<&'a RecordedFile> {
        let whole = self.key(&path.to_string_lossy());
        let (folder, name) = whole.rsplit_once('/')?;
        self.files.get(folder)?.get(name).copied()
    }

    /// The folder that an entry of PATH stands for, with the home as `~`.
    pub fn entry_folder(&self, entry: &RecordedEntry) -> String {
        self.shown(&self.folder_of(entry))
    }

    pub fn folder(&self, entry: &RecordedEntry) -> Option<&'a RecordedFolder> {
        self.folders.get(&self.key(&self.folder_of(entry).to_string_lossy())).copied()
    }

    fn folder_of(&self, entry: &RecordedEntry) -> PathBuf {
        let written = absolute(&entry.raw, self.system);
        match self.system {
            System::Windows => windows::folder(&written).into(),
            // POSIX.1-2017, 8.3: an empty entry is the current folder.
            System::Unix => Path::new(home(self.system)).join(written),
        }
    }

    /// The file that all links of a path lead to, as far as the snapshot knows.
    pub fn real(&self, path: &Path) -> Option<String> {
        let file = self.file(path)?;
        let whole = self.key(&path.to_string_lossy());
        let (folder, _) = whole.rsplit_once('/')?;
        let of_folder = || Some(format!("{}/{}", self.real_folders.get(folder)?, file.name));
        file.leads_to.clone().or_else(of_folder)
    }

    /// A path of a lookup, with the home as `~`.
    pub fn shown(&self, path: &Path) -> String {
        let text = path.to_string_lossy();
        let text = match self.system {
            System::Windows => text.replace('/', "\\"),
            System::Unix => with_slashes(&text),
        };
        let home = home(self.system);
        match text.strip_prefix(home) {
            Some(rest) => format!("~{rest}"),
            None => text,
        }
    }

    fn context(&self, terminal: &RecordedTerminal) -> LookupContext {
        let entries: Vec<String> = terminal.entries.iter().map(|entry| absolute(&entry.raw, self.system)).collect();
        let separator = if self.system == System::Windows { ";" } else { ":" };
        LookupContext {
            path: entries.join(separator).into(),
            path_extensions: self.snapshot.path_extensions.clone(),
            current_folder: PathBuf::from(home(self.system)),
            home: Some(PathBuf::from(home(self.system))),
            system_root: self.snapshot.system_root.as_ref().map(PathBuf::from),
            of_system: terminal.of_system,
            ..LookupContext::new(self.system)
        }
    }

    /// What tells two paths apart, with `/` between their parts.
    fn key(&self, path: &str) -> String {
        let path = match self.system {
            System::Windows => path.replace('\\', "/").to_lowercase(),
            System::Unix => with_slashes(path),
        };
        let trimmed = path.trim_end_matches('/');
        if trimmed.is_empty() { path } else { trimmed.to_owned() }
    }
}

impl FileView for Lookup<'_> {
    fn look(&self, path: &Path) -> FileKind {
        let kind = self.file(path).map(|file| file.kind);
        let is_folder = || self.files.contains_key(&self.key(&path.to_string_lossy()));
        kind.unwrap_or_else(|| if is_folder() { FileKind::Folder } else { FileKind::Missing })
    }
}

fn home(system: System) -> &'static str {
    HOME[usize::from(system == System::Windows)]
}

/// A path of a recorded Unix, whatever this system puts between the parts that it joins.
fn with_slashes(path: &str) -> String {
    if std::path::MAIN_SEPARATOR == '/' { path.to_owned() } else { path.replace(std::path::MAIN_SEPARATOR, "/") }
}

/// A recorded path with something absolute in place of `~`.
fn absolute(path: &str, system: System) -> String {
    if let Some(literal) = RecordedEntry::literal(path) {
        return literal.to_owned();
    }
    match path.strip_prefix('~') {
        Some(rest) if rest.is_empty() || rest.starts_with(['/', '\\']) => format!("{}{rest}", home(system)),
        _ => path.to_owned(),
    }
}
