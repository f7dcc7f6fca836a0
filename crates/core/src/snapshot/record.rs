//! Recording this machine.

use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::thread;

use super::format::{RecordedEntry, RecordedFile, RecordedFolder, RecordedTerminal};
use super::private::Private;
use crate::checksum::{Algorithm, compute};
use crate::folders::SystemFolders;
use crate::given;
use crate::machine::Machine;
use crate::naming::extension_rank;
use crate::path_list::{PathEntry, PathList, windows};
use crate::process;
use crate::progress::Stop;
use crate::resolve::{Disk, FileKind, FileView as _, LookupContext, Shell};
use crate::system::System;
use crate::terminal::{Found, Origin};

/// What puts an entry into PATH that the yard's own file does.
const OWN: &str = "Wagon Yard";

/// The largest program whose content is summed, in bytes.
const MOST_SUMMED: u64 = 32 << 20;

pub struct Recorder {
    private: Private,
    home: PathBuf,
    system_folders: SystemFolders,
    known: HashMap<PathBuf, String>,
}

impl Recorder {
    pub(crate) fn private(&self) -> &Private {
        &self.private
    }

    /// For a machine, with the versions that are known of files.
    pub fn new(machine: &Machine, known: HashMap<PathBuf, String>) -> Self {
        let system_folders = SystemFolders::of(&machine.environment);
        Self { private: Private::of(machine), home: machine.home.clone(), system_folders, known }
    }

    /// A terminal in which lookups depend on this; `None` where it did not answer. `origins` are those of its entries.
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
                tool: None,
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
        sum_programs(&mut folders);
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
                sha256: None,
                version: self.known.get(&path).or_else(|| self.known.get(&real)).cloned(),
            });
        }
        files.sort_by(|a, b| a.name.cmp(&b.name));
        let real = fs::canonicalize(folder).ok().filter(|real| context.system == System::Unix && real != folder);
        let leads_to = real.map(|real| self.private.path(&real));
        RecordedFolder { folder: self.private.path(folder), leads_to, exists, is_of_system, files }
    }
}

/// The folder that each entry of PATH stands for.
pub fn entry_folders(context: &LookupContext) -> Vec<PathBuf> {
    match context.system {
        System::Unix => PathList::parse(&context.path).entries().map(PathEntry::folder).collect(),
        System::Windows => {
            let text = context.path.to_string_lossy();
            windows::parts(&text).into_iter().map(|part| windows::folder(part).into()).collect()
        }
    }
}

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
        // It is passed over, which a trace tells.
        || !lower.contains('.')
        || context.path_extensions.iter().any(|extension| lower.ends_with(extension.as_str()))
}

/// Sums the programs outside the system's folders; of several links to one it is done once.
fn sum_programs(folders: &mut [(PathBuf, RecordedFolder)]) {
    let real = |folder: &Path, file: &RecordedFile| {
        let path = folder.join(&file.name);
        let is_summed = file.kind == FileKind::Program && file.bytes <= MOST_SUMMED;
        is_summed.then(|| fs::canonicalize(&path).unwrap_or(path))
    };
    let others = || folders.iter().filter(|(_, seen)| !seen.is_of_system);
    let mut files: Vec<PathBuf> =
        others().flat_map(|(folder, seen)| seen.files.iter().filter_map(|file| real(folder, file))).collect();
    files.sort();
    files.dedup();
    let at_a_time = thread::available_parallelism().map_or(2, usize::from);
    let sums: HashMap<PathBuf, String> =
        process::side_by_side(&files, at_a_time, |file| Some((file.clone(), sum(file)?)))
            .into_iter()
            .flatten()
            .collect();
    for (folder, seen) in folders.iter_mut().filter(|(_, seen)| !seen.is_of_system) {
        for file in &mut seen.files {
            file.sha256 = real(folder, file).and_then(|real| sums.get(&real).cloned());
        }
    }
}

fn sum(file: &Path) -> Option<String> {
    let sums = compute(&[Algorithm::Sha256], given::open(file).ok()?, &Stop::default()).ok()?;
    sums.into_iter().next().map(|sum| sum.value)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn windows_looks_for_what_has_a_known_extension_or_none() {
        let context = |system| LookupContext { path_extensions: vec![".py".to_owned()], ..LookupContext::new(system) };
        for (name, windows) in [("t.exe", true), ("T.PY", true), ("t", true), ("t.dll", false)] {
            assert_eq!(is_looked_for(name, &context(System::Windows)), windows, "{name}");
            assert!(is_looked_for(name, &context(System::Unix)));
        }
    }
}
