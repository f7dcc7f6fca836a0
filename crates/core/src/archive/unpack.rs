//! Listing and unpacking: one walk over the entries, with or without writing.

use std::collections::{HashMap, HashSet};
use std::fs::{self, File, FileTimes, OpenOptions};
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use super::entries::{RawEntry, RawKind, Visit};
use super::identify::{Container, Format};
use super::listing::{Entry, EntryKind, Listing};
use super::member::MemberPath;
use super::spellings::Spellings;
use super::{ArchiveError, links, tar, zip};
use crate::error::FileContext;
use crate::os;
use crate::program::{HEAD_BYTES, Program};
use crate::progress::{Progress, Stop};

/// Permission bits that survive unpacking: set-id, sticky, and write for group and others are dropped.
const KEPT_BITS: u32 = 0o755;

/// The size of the buffer between decoder and file, in bytes.
const CHUNK: usize = 1 << 17;

/// Reads all entries without writing anything.
///
/// # Errors
/// When the archive is damaged or holds something hostile.
pub fn list(file: &Path, format: Format, stop: &Stop) -> Result<Listing, ArchiveError> {
    collect(file, format, None, &crate::progress::Silent, stop)
}

/// Unpacks all files and folders under `root`, an empty folder of ours. Links are not made and execute bits that only
/// content can tell are not set before [`Finish::apply`].
///
/// # Errors
/// When the archive is damaged or holds something hostile, or the disk refuses; `root` is then half full and to be
/// thrown away.
pub fn unpack(
    file: &Path,
    format: Format,
    root: &Path,
    progress: &dyn Progress,
    stop: &Stop,
) -> Result<Listing, ArchiveError> {
    collect(file, format, Some(root), progress, stop)
}

/// What is left to do once the whole listing, and so the wrapper, is known.
#[derive(Debug)]
#[must_use = "links and execute bits are missing until it is applied"]
pub struct Finish<'a> {
    listing: &'a Listing,
    wrapper: &'a Path,
}

impl<'a> Finish<'a> {
    /// Checks that no link leads out of `wrapper` (empty: the whole archive).
    ///
    /// # Errors
    /// When one does, or an entry lies behind a link.
    pub fn check(listing: &'a Listing, wrapper: &'a Path) -> Result<Self, ArchiveError> {
        links::check(listing, wrapper)?;
        Ok(Self { listing, wrapper })
    }

    /// Makes the links below the wrapper and sets the execute bits. Gives the number of links that became copies, because
    /// none can be made here.
    ///
    /// # Errors
    /// When the disk refuses, or a link can be neither link nor copy.
    pub fn apply(self, root: &Path) -> Result<usize, ArchiveError> {
        let inside = || self.listing.entries.iter().filter(|e| e.path.as_path().starts_with(self.wrapper));
        let mut links = inside().filter(|e| matches!(e.kind, EntryKind::Link(_))).peekable();
        let copies = links.peek().is_some() && !os::can_link(root);
        let mut copied = 0;
        for entry in links {
            let place = entry.path.under(root);
            make_parent(&place)?;
            if copies {
                copied += usize::from(links::copy(self.listing, entry, root)?);
            } else if let EntryKind::Link(target) = &entry.kind {
                os::make_link(Path::new(target), &place).at("make the link", &place)?;
            }
        }
        for entry in inside().filter(|e| e.kind == EntryKind::File) {
            if self.listing.without_modes && self.listing.executable(entry) {
                let place = entry.path.under(root);
                let file = File::open(&place).at("open", &place)?;
                os::set_mode(&file, 0o755).at("make executable", &place)?;
            }
        }
        Ok(copied)
    }
}

fn collect(
    file: &Path,
    format: Format,
    root: Option<&Path>,
    progress: &dyn Progress,
    stop: &Stop,
) -> Result<Listing, ArchiveError> {
    let later_counts = format.container == Container::Tar;
    let mut collector = Collector {
        file,
        root,
        later_counts,
        progress,
        stop,
        entries: Vec::new(),
        places: HashMap::new(),
        spellings: Spellings::default(),
        parents: HashSet::new(),
        buffer: vec![0; CHUNK],
    };
    let visit: &mut Visit = &mut |raw, content| collector.take(raw, content);
    match format.container {
        Container::Zip => zip::walk(file, visit)?,
        Container::Tar => tar::walk(file, format.compression, visit)?,
    }
    let entries: Vec<Entry> = collector.entries.into_iter().flatten().collect();
    let has_bits = |e: &Entry| e.kind == EntryKind::File && e.mode.is_some_and(|m| m & 0o111 != 0);
    let without_modes = format.container == Container::Zip && !entries.iter().any(has_bits);
    let listing = Listing { entries, without_modes };
    if listing.files() == 0 {
        return Err(ArchiveError::Empty(file.to_owned()));
    }
    Ok(listing)
}

struct Collector<'a> {
    file: &'a Path,
    root: Option<&'a Path>,
    later_counts: bool,
    progress: &'a dyn Progress,
    stop: &'a Stop,
    /// In order; `None` where a later entry of the same name took its place.
    entries: Vec<Option<Entry>>,
    places: HashMap<PathBuf, usize>,
    spellings: Spellings,
    /// The folders that entries lie in, whether or not they have an entry of their own.
    parents: HashSet<PathBuf>,
    buffer: Vec<u8>,
}

impl Collector<'_> {
    fn take(&mut self, raw: RawEntry, content: &mut dyn Read) -> Result<(), ArchiveError> {
        if self.stop.requested() {
            return Err(ArchiveError::Interrupted);
        }
        let name = String::from_utf8_lossy(&raw.name).into_owned();
        let path = match MemberPath::new(&raw.name) {
            Ok(Some(path)) => path,
            Ok(None) => return Ok(()),
            Err(source) => return Err(ArchiveError::Member { entry: name, source }),
        };
        if os::FOLDS_CASE
            && let Some((one, other)) = self.spellings.meet(path.as_path())
        {
            let lossy = |path: PathBuf| path.to_string_lossy().into_owned();
            return Err(ArchiveError::CaseOnly { one: lossy(one), other: lossy(other) });
        }
        self.make_way(&path, &raw.kind)?;
        let mut entry = Entry { path, kind: EntryKind::Folder, bytes: 0, mode: raw.mode, program: None };
        match raw.kind {
            RawKind::Folder => {
                if let Some(root) = self.root {
                    make_folder(&entry.path.under(root))?;
                }
            }
            RawKind::File => {
                entry.kind = EntryKind::File;
                let mode = raw.mode.map_or(0o644, |m| m & KEPT_BITS | 0o600);
                let (bytes, program) = self.copy(&entry.path, mode, raw.modified, content)?;
                entry.bytes = bytes;
                entry.program = Some(program);
            }
            RawKind::Link(target) => entry.kind = EntryKind::Link(os::name_from_bytes(target)),
            RawKind::HardLink(target) => entry = self.hard_link(entry.path, &target)?,
            RawKind::Special => return Err(ArchiveError::Special(name)),
        }
        self.places.insert(entry.path.as_path().to_owned(), self.entries.len());
        self.entries.push(Some(entry));
        Ok(())
    }

    fn place_of(&self, path: &Path) -> Option<usize> {
        self.places.get(path).copied()
    }

    /// Settles what happens when the name is there already: in a tar the later entry counts (POSIX.1-2017, pax: "the
    /// last one"), anything else is refused.
    fn make_way(&mut self, path: &MemberPath, kind: &RawKind) -> Result<(), ArchiveError> {
        for parent in path.as_path().ancestors().skip(1).filter(|p| !p.as_os_str().is_empty()) {
            if !self.parents.insert(parent.to_owned()) {
                break;
            }
            let entry = self.place_of(parent).and_then(|index| self.entries[index].as_ref());
            if entry.is_some_and(|e| e.kind == EntryKind::File) {
                return Err(ArchiveError::Twice(parent.to_string_lossy().into_owned()));
            }
        }
        if self.parents.contains(path.as_path()) && !matches!(kind, RawKind::Folder) {
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
            let place = path.under(root);
            fs::remove_file(&place).at("replace", &place)?;
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
            let place = path.under(root);
            make_parent(&place)?;
            fs::hard_link(earlier.path.under(root), &place).at("make the link", &place)?;
        }
        Ok(Entry { path, ..earlier.clone() })
    }

    /// Copies the content to its place, or nowhere when only listing, and looks at its first bytes on the way.
    fn copy(
        &mut self,
        path: &MemberPath,
        mode: u32,
        modified: Option<u64>,
        content: &mut dyn Read,
    ) -> Result<(u64, Program), ArchiveError> {
        let place = self.root.map(|root| path.under(root));
        let mut out = match &place {
            Some(place) => Some(create(place, path)?),
            None => None,
        };
        let mut head = Vec::new();
        let mut bytes = 0u64;
        loop {
            let read = match content.read(&mut self.buffer) {
                Ok(0) => break,
                Ok(read) => read,
                Err(e) if e.kind() == io::ErrorKind::Interrupted => continue,
                Err(source) => return Err(ArchiveError::Damaged { file: self.file.to_owned(), source }),
            };
            let chunk = &self.buffer[..read];
            if head.len() < HEAD_BYTES {
                head.extend_from_slice(&chunk[..chunk.len().min(HEAD_BYTES - head.len())]);
            }
            if let (Some(out), Some(place)) = (&mut out, &place) {
                out.write_all(chunk).at("write", place)?;
            }
            bytes += read as u64;
            self.progress.advance(read as u64);
            if self.stop.requested() {
                return Err(ArchiveError::Interrupted);
            }
        }
        if let (Some(out), Some(place)) = (&out, &place) {
            os::set_mode(out, mode).at("set the rights of", place)?;
            if let Some(time) = modified.and_then(|s| SystemTime::UNIX_EPOCH.checked_add(Duration::from_secs(s))) {
                out.set_times(FileTimes::new().set_modified(time)).at("set the time of", place)?;
            }
        }
        Ok((bytes, Program::identify(&path.file_name(), &head)))
    }
}

fn create(place: &Path, path: &MemberPath) -> Result<File, ArchiveError> {
    make_parent(place)?;
    match OpenOptions::new().write(true).create_new(true).open(place) {
        Err(e) if e.kind() == io::ErrorKind::AlreadyExists => Err(ArchiveError::Twice(path.display())),
        other => Ok(other.at("create", place)?),
    }
}

fn make_parent(place: &Path) -> Result<(), ArchiveError> {
    place.parent().map_or(Ok(()), make_folder)
}

fn make_folder(folder: &Path) -> Result<(), ArchiveError> {
    Ok(fs::create_dir_all(folder).at("make the folder", folder)?)
}
