//! 7z, read in the order in which its blocks are packed (7-Zip's `7zFormat.txt`).

use std::io::{self, BufRead, Read, Seek, SeekFrom};
use std::path::Path;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, RecvTimeoutError, SyncSender, sync_channel};
use std::thread;
use std::time::Duration;

use sevenz_rust2::{Archive, ArchiveEntry, BlockDecoder, Error, Password};

use super::entries::{RawEntry, RawKind, Visit, Wanted, could_be_program, mode, read_target};
use super::error::ArchiveError;
use super::guard;
use super::held::read_held;
use super::segment::{Buffered, Segment};
use super::seven_zip_header;
use crate::progress::Stop;

/// Set in a file's attributes where the upper half holds its Unix mode.
const UNIX_MODE: u32 = 0x8000;

/// The size of a piece of content, in bytes.
const PIECE: usize = 1 << 18;
const READY: usize = 8;
/// From this many bytes on a read is one for a worker.
const LARGE_READ: usize = 4 << 10;
/// What a worker needs to wake up.
const PAUSE: Duration = Duration::from_micros(50);
/// More threads would hold more memory than unpacking may take.
const MOST_THREADS: u32 = 4;
/// How long a piece may take: far longer than the slowest method needs. There are spoiled blocks on which the decoder
/// never ends, and nothing can make it.
const PATIENCE: Duration = Duration::from_secs(15);

/// How often somebody who waits for a piece looks whether the user wants to stop.
const GLANCE: Duration = Duration::from_millis(100);

/// What the decoding thread hands on: of each entry its content, then its end.
enum Piece {
    Bytes(Vec<u8>),
    End,
    Failed(Error),
}

/// Goes through the entries. What is not wanted is decoded only where something wanted lies behind it in its block, and
/// then checked nonetheless. Blocks are decoded by a thread of their own.
pub(super) fn walk(
    file: &Path,
    segment: Segment,
    wanted: Wanted,
    stop: &Stop,
    visit: &mut Visit<'_>,
) -> Result<(), ArchiveError> {
    let (mut source, password) = (Buffered::new(segment.clone()), Password::empty());
    let archive = Arc::new(directory(file, &segment, &mut source)?);
    let executable = |entry: &ArchiveEntry| !entry.is_directory && bits(entry).is_some_and(|m| m & mode::EXECUTE != 0);
    let modeless = !archive.files.iter().any(executable);
    let is_wanted = |entry: &ArchiveEntry| {
        let is_link = bits(entry).is_some_and(|m| m & mode::TYPE == mode::LINK);
        wanted == Wanted::All || is_link || could_be_program(entry.name.as_bytes(), bits(entry), modeless)
    };
    // Of each block the entries up to the last that is wanted.
    let mut needed: Vec<usize> = Vec::with_capacity(archive.blocks.len());
    let mut counts: Vec<usize> = Vec::with_capacity(archive.blocks.len());
    for index in 0..archive.blocks.len() {
        let block = BlockDecoder::new(1, index, &archive, &password, &mut source);
        counts.push(block.entry_count());
        needed.push(block.entries().iter().rposition(is_wanted).map_or(0, |last| last + 1));
    }
    let (ready, pieces) = sync_channel(READY);
    let (decoded, blocks) = (Arc::clone(&archive), needed.clone());
    let started = guard::start(move || decode(&decoded, source, &blocks, &ready));
    started.map_err(|source| ArchiveError::Damaged { file: file.to_owned(), source })?;
    for (index, (count, needed)) in counts.into_iter().zip(needed).enumerate() {
        let start = archive.stream_map.block_first_file_index[index];
        for (at, entry) in archive.files[start..start + count].iter().enumerate() {
            if at < needed {
                let mut content = BlockContent::new(&pieces, stop);
                one(file, entry, modeless, &mut content, visit).map_err(|error| content.failed(file, error))?;
                io::copy(&mut content, &mut io::sink())
                    .map_err(|source| content.failed(file, ArchiveError::Damaged { file: file.to_owned(), source }))?;
            } else {
                one(file, entry, modeless, &mut io::empty(), visit)?;
            }
        }
    }
    let blocks = &archive.stream_map.file_block_index;
    let mut without_content = blocks.iter().zip(&archive.files).filter(|(block, _)| block.is_none());
    without_content.try_for_each(|(_, entry)| one(file, entry, modeless, &mut io::empty(), visit))
}

/// Reads what the end of the file says of the blocks and entries.
fn directory(file: &Path, segment: &Segment, source: &mut Buffered) -> Result<Archive, ArchiveError> {
    // The crate takes memory for all that is counted there.
    seven_zip_header::check(segment.clone())
        .map_err(|source| ArchiveError::Damaged { file: file.to_owned(), source })?;
    let read = guard::run(|| Ok(Archive::read(source, &Password::empty())));
    let read = read.map_err(|source| ArchiveError::Damaged { file: file.to_owned(), source })?;
    read.map_err(|error| failure(file, error))
}

/// Reads on a little later where much is asked for. The crate hands a part to a worker, and when that has not taken it by
/// the time it looks again, it waits for a whole part to be decoded before it hands on the next or starts another worker.
struct ThrottledReader(Buffered);

impl Read for ThrottledReader {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        if into.len() >= LARGE_READ {
            thread::sleep(PAUSE);
        }
        self.0.read(into)
    }
}

impl Seek for ThrottledReader {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.0.seek(to)
    }
}

/// Decodes of each block as many entries as are needed. Ends early where nobody listens any more.
fn decode(archive: &Archive, source: Buffered, needed: &[usize], ready: &SyncSender<Piece>) {
    let (password, mut source) = (Password::empty(), ThrottledReader(source));
    let threads = thread::available_parallelism().map_or(1, |n| u32::try_from(n.get()).unwrap_or(1)).min(MOST_THREADS);
    for (index, needed) in needed.iter().enumerate().filter(|(_, needed)| **needed > 0) {
        let mut seen = 0;
        let block = BlockDecoder::new(threads, index, archive, &password, &mut source);
        let decoded = block.for_each_entries(&mut |_, content| {
            loop {
                let mut piece = Vec::with_capacity(PIECE);
                let read = content.take(PIECE as u64).read_to_end(&mut piece)?;
                let piece = if read == 0 { Piece::End } else { Piece::Bytes(piece) };
                if ready.send(piece).is_err() {
                    return Ok(false);
                }
                if read == 0 {
                    seen += 1;
                    return Ok(seen < *needed);
                }
            }
        });
        if let Err(error) = decoded {
            let _ = ready.send(Piece::Failed(error));
            return;
        }
    }
}

fn failure(file: &Path, error: Error) -> ArchiveError {
    match error {
        Error::PasswordRequired | Error::MaybeBadPassword(_) => {
            ArchiveError::Encrypted(file.file_name().unwrap_or_default().to_string_lossy().into_owned())
        }
        Error::UnsupportedCompressionMethod(method) => ArchiveError::Method { entry: "a block".to_owned(), method },
        other => ArchiveError::Damaged { file: file.to_owned(), source: io::Error::other(other) },
    }
}

struct BlockContent<'a> {
    pieces: &'a Receiver<Piece>,
    stop: &'a Stop,
    piece: Vec<u8>,
    at: usize,
    ended: bool,
    failed: Option<Error>,
}

impl<'a> BlockContent<'a> {
    fn new(pieces: &'a Receiver<Piece>, stop: &'a Stop) -> Self {
        Self { pieces, stop, piece: Vec::new(), at: 0, ended: false, failed: None }
    }

    /// The decoder's own reason for a failure, where it had one.
    fn failed(&mut self, file: &Path, error: ArchiveError) -> ArchiveError {
        if self.stop.requested() {
            return ArchiveError::Interrupted;
        }
        self.failed.take().map_or(error, |error| failure(file, error))
    }
}

impl Read for BlockContent<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        read_held(self, buffer)
    }
}

impl BufRead for BlockContent<'_> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        let mut waited = Duration::ZERO;
        while self.at == self.piece.len() && !self.ended {
            match self.pieces.recv_timeout(GLANCE) {
                Ok(Piece::Bytes(piece)) => (self.piece, self.at) = (piece, 0),
                Ok(Piece::End) => self.ended = true,
                Ok(Piece::Failed(error)) => {
                    self.failed = Some(error);
                    return Err(io::Error::from(io::ErrorKind::InvalidData));
                }
                Err(RecvTimeoutError::Timeout) if self.stop.requested() => return Err(io::Error::other("interrupted")),
                Err(RecvTimeoutError::Timeout) if waited < PATIENCE => waited += GLANCE,
                Err(RecvTimeoutError::Timeout) => return Err(io::Error::other("its decoder does not finish")),
                Err(RecvTimeoutError::Disconnected) => return Err(io::Error::other("its decoder failed")),
            }
        }
        Ok(&self.piece[self.at..])
    }

    fn consume(&mut self, bytes: usize) {
        self.at += bytes;
    }
}

fn bits(entry: &ArchiveEntry) -> Option<u32> {
    let attributes = if entry.has_windows_attributes { entry.windows_attributes } else { 0 };
    (attributes & UNIX_MODE != 0).then_some(attributes >> 16)
}

/// How much the files hold together, in bytes, as the directory says.
pub(super) fn content_bytes(segment: Segment) -> Option<u64> {
    let archive = directory(Path::new(""), &segment, &mut Buffered::new(segment.clone())).ok()?;
    Some(archive.files.iter().fold(0, |sum, entry| sum.saturating_add(entry.size)))
}

fn one(
    file: &Path,
    entry: &ArchiveEntry,
    modeless: bool,
    content: &mut dyn BufRead,
    visit: &mut Visit<'_>,
) -> Result<(), ArchiveError> {
    // An anti-item says what is to be deleted on the way; a new folder has nothing of it.
    if entry.is_anti_item {
        return Ok(());
    }
    let bits = bits(entry);
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let kind = match bits.map_or(0, |m| m & mode::TYPE) {
        _ if entry.is_directory => RawKind::Folder,
        0 | mode::FILE => RawKind::File,
        mode::FOLDER => RawKind::Folder,
        mode::LINK => RawKind::Link(read_target(content).map_err(damaged)?),
        _ => RawKind::Special,
    };
    let modified = entry.has_last_modified_date.then(|| std::time::SystemTime::from(entry.last_modified_date));
    let since = modified.and_then(|time| time.duration_since(std::time::UNIX_EPOCH).ok());
    let raw = RawEntry {
        name: entry.name.clone().into_bytes(),
        kind,
        mode: bits,
        modeless,
        bytes: Some(entry.size),
        modified: since.map(|since| since.as_secs()),
    };
    visit(raw, content)
}
