//! Taking entries one by one: names checked, folders made, files handed on to be written.

use std::collections::{HashMap, HashSet};
use std::ffi::{OsStr, OsString};
use std::fs;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::classes::{asked_by_classes, could_hold_classes};
use super::entries::{RawEntry, RawKind, could_be_program};
use super::error::ArchiveError;
use super::left_out::LeftOut;
use super::limits::Limits;
use super::listing::{Entry, EntryKind, Listing};
use super::member::MemberPath;
use super::spellings::Spellings;
use super::write::{FileJob, make_folder};
use crate::error::FileContext as _;
use crate::os::{self, HeldFolder};
use crate::program::{Asks, HEAD_BYTES, MOST_READ, Needs, Program, ProgramKind};

/// No larger program is looked into for what it needs, in bytes; it has to be held in memory for that.
const LARGEST_LOOKED_INTO: u64 = 32 << 20;

/// How much is looked into in one archive, in bytes, so that an answer comes soon.
const LOOKED_INTO_TOGETHER: u64 = 128 << 20;

pub(super) struct Collector<'a> {
    /// Where files and folders go; `None` when only listing.
    pub root: Option<&'a HeldFolder>,
    /// Whether of two entries of the same name the later one counts.
    pub later_counts: bool,
    pub limits: Limits,
    pub packed: u64,
    /// Where hazards go that are not to end it all; `None` where they are.
    pub left_out: Option<Vec<LeftOut>>,
    /// In order; `None` where a later entry of the same name took its place.
    entries: Vec<Option<Entry>>,
    /// Where the entries stand, by their paths: as text, whose parts need not be found to be compared.
    places: HashMap<Arc<OsStr>, usize>,
    spellings: Spellings,
    /// The folders that entries lie in, whether or not they have an entry of their own.
    parents: HashSet<OsString>,
    /// Whether the archive says of no file that it is executable.
    modeless: bool,
    count: usize,
    bytes: u64,
    names: usize,
    looked_into: u64,
}

impl<'a> Collector<'a> {
    pub fn new(root: Option<&'a HeldFolder>, later_counts: bool, limits: Limits, packed: u64) -> Self {
        Self {
            root,
            later_counts,
            limits,
            packed,
            left_out: None,
            entries: Vec::new(),
            places: HashMap::new(),
            spellings: Spellings::default(),
            parents: HashSet::new(),
            modeless: false,
            count: 0,
            bytes: 0,
            names: 0,
            looked_into: 0,
        }
    }

    /// Takes an entry. For a file it gives what is to be written and the entry's index for [`Collector::done`].
    pub fn take(&mut self, raw: RawEntry) -> Result<Option<(usize, FileJob)>, ArchiveError> {
        self.count += 1;
        self.modeless |= raw.modeless;
        self.bytes = self.bytes.saturating_add(raw.bytes.unwrap_or(0));
        self.limits.check(self.count, self.bytes, self.packed)?;
        self.hold(raw.name.len() + raw.kind.target_bytes())?;
        match (self.take_checked(&raw), &mut self.left_out) {
            (Err(e), Some(left_out)) if e.is_hazard() => {
                let source = std::error::Error::source(&e);
                let reason = source.map_or_else(|| e.to_string(), ToString::to_string);
                left_out.push(LeftOut { entry: lossy(&raw.name), reason });
                Ok(None)
            }
            (other, _) => other,
        }
    }

    fn take_checked(&mut self, raw: &RawEntry) -> Result<Option<(usize, FileJob)>, ArchiveError> {
        let path = match MemberPath::new(&raw.name) {
            Ok(Some(path)) => path,
            Ok(None) => return Ok(None),
            Err(source) => return Err(ArchiveError::Member { entry: lossy(&raw.name), source }),
        };
        if let RawKind::Link(target) = &raw.kind {
            let entry = |source| ArchiveError::Member { entry: lossy(&raw.name), source };
            MemberPath::check_target(target).map_err(entry)?;
        }
        if matches!(raw.kind, RawKind::Special) {
            return Err(ArchiveError::Special(lossy(&raw.name)));
        }
        if os::FOLDS_CASE
            && let Some((one, other)) = self.spellings.meet(path.as_path())
        {
            let lossy = |path: PathBuf| path.to_string_lossy().into_owned();
            return Err(ArchiveError::CaseOnly { one: lossy(one), other: lossy(other) });
        }
        self.make_way(&path, &raw.kind)?;
        let mut entry = Entry { path, kind: EntryKind::Folder, bytes: 0, mode: raw.mode, program: None, needs: None };
        let mut job = None;
        match &raw.kind {
            RawKind::Folder => {
                if let Some(root) = self.root {
                    make_folder(root, entry.path.as_path())?;
                }
            }
            RawKind::File => {
                entry.kind = EntryKind::File;
                entry.bytes = raw.bytes.unwrap_or(0);
                let path = entry.path.clone();
                let written = FileJob { path, mode: raw.mode, modified: raw.modified, bytes: raw.bytes };
                job = Some((self.entries.len(), written));
            }
            RawKind::Link(target) => entry.kind = EntryKind::Link(os::name_from_bytes(target.clone())),
            RawKind::HardLink(target) => entry = self.hard_link(entry.path, target)?,
            RawKind::Special => {}
        }
        self.places.insert(entry.path.shared(), self.entries.len());
        self.entries.push(Some(entry));
        Ok(job)
    }

    /// Whether a file could be a program, so that it is of interest what its first bytes say.
    pub fn is_of_interest(&self, job: &FileJob) -> bool {
        could_be_program(job.path.as_path().as_os_str().as_encoded_bytes(), job.mode, self.modeless)
    }

    pub fn done(&mut self, index: usize, bytes: u64, program: Option<Box<Program>>) {
        if let Some(Some(entry)) = self.entries.get_mut(index) {
            entry.bytes = bytes;
            entry.program = program;
        }
    }

    /// Looks at a file where it could matter, without writing it: at its first bytes, and at all of a program that could
    /// run here, to see what it needs.
    pub fn look(&mut self, index: usize, job: &FileJob, content: &mut dyn Read) -> std::io::Result<()> {
        let (says, holds_classes) = match job.path.as_path().file_name().and_then(OsStr::to_str) {
            Some(name) => (Asks::is_said_by(name), could_hold_classes(name)),
            None => (false, false),
        };
        if !says && !holds_classes && !self.is_of_interest(job) {
            return Ok(());
        }
        let mut seen = Vec::new();
        content.take(HEAD_BYTES as u64).read_to_end(&mut seen)?;
        let name = job.path.file_name();
        let program = Program::identify(&name, &seen);
        let bytes = job.bytes.unwrap_or(seen.len() as u64);
        let compiled = !matches!(program.kind, ProgramKind::Script | ProgramKind::Batch | ProgramKind::Other);
        let native = compiled && program.is_native(os::SYSTEM, os::processor());
        let is_script = matches!(program.kind, ProgramKind::Script | ProgramKind::Batch);
        let most = if native || holds_classes { LARGEST_LOOKED_INTO } else { MOST_READ };
        let is_read = native || holds_classes || says || is_script;
        let mut needs = None;
        if is_read && bytes <= most && self.looked_into + bytes <= LOOKED_INTO_TOGETHER {
            self.looked_into += bytes;
            content.take(most).read_to_end(&mut seen)?;
            needs = needs_of(&name, &program, &seen).map(Box::new);
        }
        self.done(index, bytes, Some(Box::new(program)));
        if let Some(Some(entry)) = self.entries.get_mut(index) {
            entry.needs = needs;
        }
        Ok(())
    }

    pub fn end(self) -> Listing {
        Listing {
            entries: self.entries.into_iter().flatten().collect(),
            without_modes: self.modeless,
            left_out: self.left_out.unwrap_or_default(),
        }
    }

    /// Counts bytes of names that are kept.
    fn hold(&mut self, bytes: usize) -> Result<(), ArchiveError> {
        self.names += bytes;
        self.limits.check_names(self.names)
    }

    fn place_of(&self, path: &Path) -> Option<usize> {
        self.places.get(path.as_os_str()).copied()
    }

    /// Settles what happens when the name is there already: in a tar the later entry counts (POSIX.1-2017, pax: "the
    /// last one"), anything else is refused. Makes the folders that the entry lies in.
    fn make_way(&mut self, path: &MemberPath, kind: &RawKind) -> Result<(), ArchiveError> {
        let parents: Vec<&Path> = path
            .as_path()
            .ancestors()
            .skip(1)
            .take_while(|p| !p.as_os_str().is_empty() && !self.parents.contains(p.as_os_str()))
            .collect();
        for parent in &parents {
            let entry = self.place_of(parent).and_then(|index| self.entries[index].as_ref());
            if entry.is_some_and(|e| e.kind == EntryKind::File) {
                return Err(ArchiveError::Twice(parent.to_string_lossy().into_owned()));
            }
        }
        if let (Some(innermost), Some(root)) = (parents.first(), self.root) {
            make_folder(root, innermost)?;
        }
        let (folders, names) = (parents.len(), parents.iter().map(|parent| parent.as_os_str().len()).sum());
        self.parents.extend(parents.into_iter().map(|parent| parent.as_os_str().to_owned()));
        self.count += folders;
        self.limits.check(self.count, self.bytes, self.packed)?;
        self.hold(names)?;
        if self.parents.contains(path.as_path().as_os_str()) && !matches!(kind, RawKind::Folder) {
            return Err(ArchiveError::Twice(path.display()));
        }
        let Some(index) = self.place_of(path.as_path()) else { return Ok(()) };
        let Some(earlier) = &self.entries[index] else { return Ok(()) };
        let both_folders = earlier.kind == EntryKind::Folder && matches!(kind, RawKind::Folder);
        let one_folder = earlier.kind == EntryKind::Folder || matches!(kind, RawKind::Folder);
        if !both_folders && (one_folder || !self.later_counts) {
            return Err(ArchiveError::Twice(path.display()));
        }
        if let (EntryKind::File, Some(root)) = (&earlier.kind, self.root) {
            root.remove_file(path.as_path()).at("replace", &path.under(root.place()))?;
        }
        self.entries[index] = None;
        Ok(())
    }

    fn hard_link(&mut self, path: MemberPath, target: &[u8]) -> Result<Entry, ArchiveError> {
        let earlier = MemberPath::new(target).ok().flatten().and_then(|t| self.place_of(t.as_path()));
        let Some(earlier) = earlier.and_then(|i| self.entries[i].as_ref()).filter(|e| e.kind != EntryKind::Folder)
        else {
            let target = String::from_utf8_lossy(target).into_owned();
            return Err(ArchiveError::HardLink { entry: path.display(), target });
        };
        if let (EntryKind::File, Some(root)) = (&earlier.kind, self.root) {
            let made = root.make_hard_link(earlier.path.as_path(), path.as_path());
            made.at("make the link", &path.under(root.place()))?;
        }
        Ok(Entry { path, ..earlier.clone() })
    }
}

/// What a file needs, by its name and whole content.
fn needs_of(name: &str, program: &Program, content: &[u8]) -> Option<Needs> {
    if could_hold_classes(name) {
        return asked_by_classes(content).map(|asked| Needs::Asks(vec![asked]));
    }
    let asks = Asks::of(name, Some(program), content);
    if asks.is_empty() { Needs::of(content) } else { Some(Needs::Asks(asks)) }
}

/// What a file needs that lies in place; of large ones only what compiled programs say.
pub fn needs_at(file: &Path) -> Option<Needs> {
    let name = file.file_name()?.to_string_lossy();
    let bytes = fs::metadata(file).ok()?.len();
    if bytes > if could_hold_classes(&name) { LARGEST_LOOKED_INTO } else { MOST_READ } {
        return Needs::at(file);
    }
    let content = fs::read(file).ok()?;
    let program = Program::identify(&name, &content[..content.len().min(HEAD_BYTES)]);
    needs_of(&name, &program, &content)
}

/// A name for people; of a very long one the beginning.
fn lossy(name: &[u8]) -> String {
    const SHOWN: usize = 120;
    let text = String::from_utf8_lossy(name);
    let mut shown: String = text.chars().take(SHOWN).collect();
    if shown.len() < text.len() {
        shown.push('…');
    }
    shown
}
