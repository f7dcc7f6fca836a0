//! A snapshot as far as a comparison of many needs it, borrowed from its text: nothing is copied that is not different.

use std::borrow::{Borrow, Cow};
use std::cell::{Cell, OnceCell};
use std::collections::BTreeMap;

use foldhash::{HashMap, HashSet};
use serde::Deserialize;
use serde_json::value::RawValue;

use super::format::{RecordedEntry, family};
use crate::naming::typed;
use crate::resolve::{FileKind, Shell};
use crate::system::System;

/// A text of a document; only what has escapes in it is copied.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Deserialize)]
pub(super) struct Text<'a>(#[serde(borrow)] Cow<'a, str>);

impl Borrow<str> for Text<'_> {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl Text<'_> {
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

/// The fields of a snapshot by which meanings of names can differ.
#[derive(Debug, Deserialize)]
pub(super) struct SnapshotView<'a> {
    pub snapshot: u32,
    #[serde(borrow, default)]
    pub name: Option<Text<'a>>,
    #[serde(borrow)]
    system: Text<'a>,
    #[serde(borrow, default)]
    path_extensions: Vec<Text<'a>>,
    #[serde(borrow, default)]
    system_root: Option<Text<'a>>,
    #[serde(borrow)]
    terminals: Vec<BriefTerminal<'a>>,
    #[serde(borrow)]
    folders: Vec<BriefFolder<'a>>,
    #[serde(borrow)]
    pub tools: Vec<BriefTool<'a>>,
}

#[derive(Debug, Deserialize)]
struct BriefTerminal<'a> {
    #[serde(borrow)]
    shell: Text<'a>,
    #[serde(borrow)]
    entries: Vec<BriefEntry<'a>>,
    #[serde(default)]
    of_system: usize,
    answered: bool,
}

#[derive(Debug, Deserialize)]
pub(super) struct BriefEntry<'a> {
    #[serde(borrow)]
    raw: Text<'a>,
    #[serde(borrow, default)]
    pub origin: Option<Text<'a>>,
    #[serde(default)]
    pub line: Option<u32>,
}

#[derive(Debug, Deserialize)]
struct BriefFolder<'a> {
    #[serde(borrow)]
    folder: Text<'a>,
    /// Its files, read only where they are not those of the same folder on the base.
    #[serde(borrow)]
    files: &'a RawValue,
}

#[derive(Debug, Deserialize)]
pub(super) struct BriefFile<'a> {
    #[serde(borrow)]
    name: Text<'a>,
    #[serde(default = "super::format::program")]
    kind: FileKind,
    #[serde(default)]
    pub bytes: u64,
    #[serde(borrow, default)]
    pub sha256: Option<Text<'a>>,
    #[serde(borrow, default)]
    pub version: Option<Text<'a>>,
}

#[derive(Debug, Deserialize)]
pub(super) struct BriefTool<'a> {
    #[serde(borrow, default)]
    pub registered: Option<Text<'a>>,
    #[serde(borrow)]
    pub commands: Vec<Text<'a>>,
}

impl SnapshotView<'_> {
    pub fn system(&self) -> System {
        family(self.system.as_str())
    }
}

/// All that a lookup of names depends on, in the first terminal that answered.
#[derive(Debug)]
pub(super) struct Baseline<'b> {
    brief: &'b SnapshotView<'b>,
    terminal: &'b BriefTerminal<'b>,
    pub system: System,
    /// Whether the first file of a name runs if it is a program, without a rule that could say otherwise.
    is_plain: bool,
    /// Those that are recorded, by what tells them apart.
    folders: BTreeMap<String, Folder<'b>>,
    /// For each entry of PATH what tells its folder.
    keys: Vec<String>,
}

type Files<'b> = HashMap<Text<'b>, BriefFile<'b>>;

/// Where names are looked up: for each entry of PATH the files of its folder. Only of a PATH where a file's place in it is
/// all that counts.
pub(super) struct Places<'g>(Vec<(&'g BriefEntry<'g>, &'g Files<'g>)>);

impl<'g> Places<'g> {
    /// The file that runs by a name: `None` where rules have to be asked.
    pub fn first(&self, name: &str) -> Option<Option<First<'g>>> {
        let mut holders = self.0.iter().filter_map(|(entry, files)| Some(First { entry, file: files.get(name)? }));
        let Some(first) = holders.next() else { return Some(None) };
        match first.file.kind {
            FileKind::Program => Some(Some(first)),
            _ if holders.any(|other| runs(other.file.kind)) => None,
            _ => Some(None),
        }
    }
}

/// The files of a folder, read when they are needed.
#[derive(Debug)]
struct Folder<'b> {
    text: &'b str,
    files: OnceCell<Files<'b>>,
    /// Whether the text turned out to be no list of files.
    is_broken: Cell<bool>,
}

impl<'b> Folder<'b> {
    fn files(&self) -> &Files<'b> {
        self.files.get_or_init(|| {
            let read = serde_json::from_str(self.text);
            self.is_broken.set(read.is_err());
            let files: Vec<BriefFile<'b>> = read.unwrap_or_default();
            files.into_iter().map(|file| (file.name.clone(), file)).collect()
        })
    }

    fn names(&self) -> impl Iterator<Item = &str> {
        self.files().keys().map(Text::as_str)
    }
}

impl BriefFile<'_> {
    fn is_like(&self, other: &BriefFile<'_>) -> bool {
        let is_same = |one: &Option<Text<'_>>, other: &Option<Text<'_>>| {
            one.as_ref().map(Text::as_str) == other.as_ref().map(Text::as_str)
        };
        (self.name.as_str(), self.kind, self.bytes) == (other.name.as_str(), other.kind, other.bytes)
            && is_same(&self.sha256, &other.sha256)
            && is_same(&self.version, &other.version)
    }
}

/// The first file of a name, in the order of PATH.
#[derive(Debug, Clone, Copy)]
pub(super) struct First<'g> {
    pub entry: &'g BriefEntry<'g>,
    pub file: &'g BriefFile<'g>,
}

impl First<'_> {
    /// The file's path, with the home as `~`.
    pub fn path(&self) -> String {
        format!("{}/{}", self.entry.raw.as_str().trim_end_matches('/'), self.file.name.as_str())
    }
}

impl<'b> Baseline<'b> {
    pub fn of(brief: &'b SnapshotView<'b>) -> Option<Self> {
        let is_known =
            |terminal: &&BriefTerminal<'_>| terminal.answered && terminal.shell.as_str().parse::<Shell>().is_ok();
        let terminal = brief.terminals.iter().find(is_known)?;
        let system = brief.system();
        // An empty PATH is the current folder to many (POSIX.1-2017, 8.3).
        let is_plain =
            !terminal.entries.is_empty() && terminal.entries.iter().all(|entry| is_written_out(entry.raw.as_str()));
        let folder = |folder: &BriefFolder<'b>| {
            (
                key(folder.folder.as_str(), system),
                Folder { text: folder.files.get(), files: OnceCell::new(), is_broken: Cell::new(false) },
            )
        };
        Some(Self {
            brief,
            terminal,
            system,
            is_plain: system == System::Unix && is_plain,
            folders: brief.folders.iter().map(folder).collect(),
            keys: terminal.entries.iter().map(|entry| key(entry.raw.as_str(), system)).collect(),
        })
    }

    /// Whether a folder that was needed has no list of files.
    pub fn is_broken(&self) -> bool {
        self.folders.values().any(|folder| folder.is_broken.get())
    }

    /// The names that may not mean the same on another machine, each once; on Windows in any spelling.
    pub fn differing<'g>(&'g self, other: &'g Baseline<'_>) -> HashSet<Cow<'g, str>> {
        if !self.has_rules_of(other) {
            return self.typed().chain(other.typed()).collect();
        }
        let mut differing: HashSet<&str> = HashSet::default();
        for (key, here) in &self.folders {
            let there = other.folders.get(key);
            if there.is_none_or(|there| there.text != here.text) {
                let there_has = |name: &str| there.and_then(|folder| folder.files().get(name));
                let files = here
                    .files()
                    .values()
                    .filter(|file| !there_has(file.name.as_str()).is_some_and(|it| it.is_like(file)));
                differing.extend(files.map(|file| file.name.as_str()));
                let only = there.into_iter().flat_map(Folder::names).filter(|name| !here.files().contains_key(*name));
                differing.extend(only);
            }
        }
        let only = other.folders.iter().filter(|(key, _)| !self.folders.contains_key(*key));
        differing.extend(only.flat_map(|(_, folder)| folder.names()));
        match self.system {
            System::Unix => differing.into_iter().map(Cow::Borrowed).collect(),
            System::Windows if differing.is_empty() => HashSet::default(),
            System::Windows => {
                let stems: HashSet<String> = differing.into_iter().map(stem).collect();
                self.typed().chain(other.typed()).filter(|name| stems.contains(&stem(name))).collect()
            }
        }
    }

    /// Whether names are looked up in the same folders by the same rules.
    fn has_rules_of(&self, other: &Baseline<'_>) -> bool {
        self.system == other.system
            && self.terminal.of_system == other.terminal.of_system
            && self.rules().eq(other.rules())
            && self.entries().eq(other.entries())
    }

    fn rules(&self) -> impl Iterator<Item = &str> {
        let rules =
            [&self.terminal.shell].into_iter().chain(&self.brief.system_root).chain(&self.brief.path_extensions);
        rules.map(Text::as_str)
    }

    fn entries(&self) -> impl Iterator<Item = &str> {
        self.terminal.entries.iter().map(|entry| entry.raw.as_str())
    }

    /// What is typed to run the programs in all recorded folders.
    fn typed(&self) -> impl Iterator<Item = Cow<'_, str>> {
        let files = self.folders.values().flat_map(|folder| folder.files().values()).filter(|file| runs(file.kind));
        files.map(|file| match self.system {
            System::Unix => Cow::Borrowed(file.name.as_str()),
            System::Windows => typed(file.name.as_str().as_ref(), self.system).into(),
        })
    }

    /// Where names are looked up; the files of a folder that is equal on `base` are taken from there. `None` where more
    /// counts than a file's place in PATH.
    pub fn places<'g>(&'g self, base: Option<&'g Baseline<'_>>) -> Option<Places<'g>> {
        let files = |key: &String| {
            let folder = self.folders.get(key)?;
            let same = base.and_then(|base| base.folders.get(key)).filter(|same| same.text == folder.text);
            let files: &Files<'_> = match same {
                Some(same) => same.files(),
                None => folder.files(),
            };
            Some(files)
        };
        let places = self.terminal.entries.iter().zip(&self.keys);
        self.is_plain.then(|| Places(places.filter_map(|(entry, key)| Some((entry, files(key)?))).collect()))
    }
}

/// What names of Windows have in common that can stand for each other: all before the first dot.
fn stem(name: &str) -> String {
    name.split('.').next().unwrap_or_default().to_lowercase()
}

/// Whether a file of this kind can be what a name means.
pub(super) fn runs(kind: FileKind) -> bool {
    matches!(kind, FileKind::Program | FileKind::AppAlias)
}

/// Whether an entry is a folder that is written out, so that its text is its place.
fn is_written_out(raw: &str) -> bool {
    let is_absolute = raw.starts_with('/') || raw == "~" || raw.starts_with("~/");
    is_absolute && !["//", "/./", "/../"].iter().any(|odd| raw.contains(odd)) && !raw.ends_with("/.")
}

fn key(folder: &str, system: System) -> String {
    let folder = RecordedEntry::literal(folder).unwrap_or(folder);
    match system {
        System::Unix => folder.trim_end_matches('/').to_owned(),
        System::Windows => folder.replace('\\', "/").trim_matches(['"', '/']).to_lowercase(),
    }
}
