//! Writing unpacked files: each new, whole, and within the limits.

use std::fs::{File, FileTimes};
use std::io::{self, BufRead, Write as _};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, SystemTime};

use super::error::ArchiveError;
use super::limits::Limits;
use super::member::MemberPath;
use crate::error::FileContext as _;
use crate::os::{self, HeldFolder};
use crate::program::{HEAD_BYTES, Program};
use crate::progress::{Progress, Stop};

/// Permission bits that survive unpacking: set-id, sticky, and write for group and others are dropped.
const KEPT_BITS: u32 = 0o755;

/// The size of the buffer between decoder and file, in bytes.
pub(super) const CHUNK: usize = 1 << 17;

/// How much of a content in memory is written at once, in bytes.
const WHOLE_PART: usize = 4 << 20;

/// From this size on a file's place on the disk is asked for before it is written, in bytes.
const ALLOCATED_FROM: u64 = 1 << 20;

pub(super) struct Writer<'a> {
    pub archive: &'a Path,
    pub root: &'a HeldFolder,
    pub packed: u64,
    pub limits: Limits,
    pub progress: &'a dyn Progress,
    pub stop: &'a Stop,
    pub written: AtomicU64,
    /// The permission bits that the system takes off new files, so that they have to be set once more.
    pub masked: u32,
}

#[derive(Debug, Clone)]
pub(super) struct FileJob {
    pub path: MemberPath,
    pub mode: Option<u32>,
    pub modified: Option<u64>,
    pub bytes: Option<u64>,
}

impl FileJob {
    /// What a file is that begins like this.
    pub fn program(&self, head: &[u8]) -> Program {
        Program::identify(&self.path.file_name(), head)
    }
}

impl Writer<'_> {
    /// Copies the content to a new file, whose folder is there. Gives its length, and its first bytes
    /// where they are `wanted`.
    pub fn write(
        &self,
        job: &FileJob,
        content: &mut dyn BufRead,
        wanted: bool,
    ) -> Result<(u64, Vec<u8>), ArchiveError> {
        let mut out = self.create(job)?;
        let mut head = Vec::new();
        loop {
            let chunk = match content.fill_buf() {
                Ok([]) => break,
                Ok(chunk) => chunk,
                Err(e) if e.kind() == io::ErrorKind::Interrupted => continue,
                Err(source) => return Err(ArchiveError::Damaged { file: self.archive.to_owned(), source }),
            };
            if wanted && head.len() < HEAD_BYTES {
                head.extend_from_slice(&chunk[..chunk.len().min(HEAD_BYTES - head.len())]);
            }
            self.add(&mut out, chunk)?;
            let taken = chunk.len();
            content.consume(taken);
        }
        self.settle(&out, job)?;
        Ok((out.bytes, head))
    }

    pub fn write_whole(&self, job: &FileJob, content: &[u8]) -> Result<u64, ArchiveError> {
        let mut out = self.create(job)?;
        // In parts, so that a progress bar moves and a stop is obeyed.
        content.chunks(WHOLE_PART).try_for_each(|part| self.add(&mut out, part))?;
        self.settle(&out, job)?;
        Ok(out.bytes)
    }

    fn create(&self, job: &FileJob) -> Result<OutputFile, ArchiveError> {
        let place = job.path.under(self.root.place());
        let file = match self.root.create_new(job.path.as_path(), mode_of(job)) {
            Err(e) if e.kind() == io::ErrorKind::AlreadyExists => {
                return Err(ArchiveError::Twice(job.path.display()));
            }
            other => other.at("create", &place)?,
        };
        if let Some(bytes) = job.bytes.filter(|bytes| *bytes >= ALLOCATED_FROM) {
            os::allocate(&file, bytes).at("write", &place)?;
        }
        Ok(OutputFile { place, file, bytes: 0 })
    }

    fn add(&self, out: &mut OutputFile, chunk: &[u8]) -> Result<(), ArchiveError> {
        let length = chunk.len() as u64;
        let written = self.written.fetch_add(length, Ordering::Relaxed) + length;
        self.limits.check(0, written, self.packed)?;
        out.file.write_all(chunk).at("write", &out.place)?;
        out.bytes += length;
        self.progress.advance(length);
        if self.stop.requested() {
            return Err(ArchiveError::Interrupted);
        }
        Ok(())
    }

    fn settle(&self, out: &OutputFile, job: &FileJob) -> Result<(), ArchiveError> {
        if let Some(said) = job.bytes.filter(|said| *said != out.bytes) {
            return Err(ArchiveError::Length { entry: job.path.display(), seen: out.bytes, said });
        }
        if mode_of(job) & self.masked != 0 {
            os::set_mode(&out.file, mode_of(job)).at("set the rights of", &out.place)?;
        }
        if let Some(time) = job.modified.and_then(|s| SystemTime::UNIX_EPOCH.checked_add(Duration::from_secs(s))) {
            out.file.set_times(FileTimes::new().set_modified(time)).at("set the time of", &out.place)?;
        }
        Ok(())
    }
}

struct OutputFile {
    place: PathBuf,
    file: File,
    bytes: u64,
}

fn mode_of(job: &FileJob) -> u32 {
    job.mode.map_or(0o644, |mode| mode & KEPT_BITS | 0o600)
}

pub(super) fn make_folder(root: &HeldFolder, below: &Path) -> Result<(), ArchiveError> {
    Ok(root.make_folders(below).at("make the folder", &root.place().join(below))?)
}
