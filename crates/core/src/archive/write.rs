//! Writing unpacked files: each new, whole, and within the limits.

use std::fs::{self, File, FileTimes, OpenOptions};
use std::io::{self, Read, Write as _};
use std::path::Path;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, SystemTime};

use super::ArchiveError;
use super::limits::Limits;
use super::member::MemberPath;
use crate::error::FileContext as _;
use crate::os;
use crate::program::{HEAD_BYTES, Program};
use crate::progress::{Progress, Stop};

/// Permission bits that survive unpacking: set-id, sticky, and write for group and others are dropped.
const KEPT_BITS: u32 = 0o755;

/// The size of the buffer between decoder and file, in bytes.
pub(super) const CHUNK: usize = 1 << 17;

/// What all writers of an archive share.
pub(super) struct Writer<'a> {
    /// The archive, for messages.
    pub archive: &'a Path,
    /// Its size in bytes.
    pub packed: u64,
    pub limits: Limits,
    pub progress: &'a dyn Progress,
    pub stop: &'a Stop,
    /// Bytes written so far.
    pub written: AtomicU64,
}

/// A file to be written.
#[derive(Debug, Clone)]
pub(super) struct FileJob {
    pub path: MemberPath,
    pub mode: Option<u32>,
    pub modified: Option<u64>,
    /// The size that the archive states.
    pub bytes: Option<u64>,
}

impl Writer<'_> {
    /// Copies the content to a new file under `root`, and looks at its first bytes on the way. The folder is there.
    pub fn write(
        &self,
        root: &Path,
        job: &FileJob,
        content: &mut dyn Read,
        buffer: &mut [u8],
    ) -> Result<(u64, Program), ArchiveError> {
        let place = job.path.under(root);
        let mut out = match OpenOptions::new().write(true).create_new(true).open(&place) {
            Err(e) if e.kind() == io::ErrorKind::AlreadyExists => {
                return Err(ArchiveError::Twice(job.path.display()));
            }
            other => other.at("create", &place)?,
        };
        let mut head = Vec::new();
        let mut bytes = 0u64;
        loop {
            let read = match content.read(buffer) {
                Ok(0) => break,
                Ok(read) => read,
                Err(e) if e.kind() == io::ErrorKind::Interrupted => continue,
                Err(source) => return Err(ArchiveError::Damaged { file: self.archive.to_owned(), source }),
            };
            let chunk = &buffer[..read];
            if head.len() < HEAD_BYTES {
                head.extend_from_slice(&chunk[..chunk.len().min(HEAD_BYTES - head.len())]);
            }
            let written = self.written.fetch_add(read as u64, Ordering::Relaxed) + read as u64;
            self.limits.check(0, written, self.packed)?;
            out.write_all(chunk).at("write", &place)?;
            bytes += read as u64;
            self.progress.advance(read as u64);
            if self.stop.requested() {
                return Err(ArchiveError::Interrupted);
            }
        }
        if let Some(said) = job.bytes.filter(|said| *said != bytes) {
            return Err(ArchiveError::Length { entry: job.path.display(), seen: bytes, said });
        }
        self.settle(&out, &place, job)?;
        Ok((bytes, Program::identify(&job.path.file_name(), &head)))
    }

    fn settle(&self, out: &File, place: &Path, job: &FileJob) -> Result<(), ArchiveError> {
        let mode = job.mode.map_or(0o644, |m| m & KEPT_BITS | 0o600);
        os::set_mode(out, mode).at("set the rights of", place)?;
        if let Some(time) = job.modified.and_then(|s| SystemTime::UNIX_EPOCH.checked_add(Duration::from_secs(s))) {
            out.set_times(FileTimes::new().set_modified(time)).at("set the time of", place)?;
        }
        Ok(())
    }
}

/// Makes a folder and those above it.
pub(super) fn make_folder(folder: &Path) -> Result<(), ArchiveError> {
    Ok(fs::create_dir_all(folder).at("make the folder", folder)?)
}

/// Makes the folder that a place lies in.
pub(super) fn make_parent(place: &Path) -> Result<(), ArchiveError> {
    place.parent().map_or(Ok(()), make_folder)
}
