//! zip, read through its central directory (PKWARE APPNOTE).

use std::collections::HashMap;
use std::io::{self, Read, Seek as _, SeekFrom};
use std::path::Path;

use libdeflater::Decompressor;
use zip::read::ZipFile;
use zip::result::ZipError;
use zip::{CompressionMethod, ZipArchive};

use super::ArchiveError;
use super::entries::{RawEntry, RawKind, Visit, mode, read_target};
use super::segment::{Buffered, Segment};

/// The least that stands before an entry's content: the local header without a name (APPNOTE 4.3.7).
const LOCAL_HEADER: u64 = 30;

/// The length of a directory record without its name, extra fields and comment (APPNOTE 4.3.12).
const DIRECTORY_RECORD: usize = 46;

/// The largest entry that is unpacked in memory, in bytes, packed or not.
const LARGEST_WHOLE: u64 = 16 << 20;

/// An opened zip. A clone shares the directory and reads on its own.
#[derive(Clone)]
pub(super) struct Opened {
    archive: ZipArchive<Buffered>,
    segment: Buffered,
    /// Whether `\` separates the parts of names: some packers of Windows write it, and then no `/` at all.
    backslashes: bool,
}

impl Opened {
    pub fn open(file: &Path, segment: Segment) -> Result<Self, ArchiveError> {
        let segment = Buffered::new(segment);
        let archive = ZipArchive::new(segment.clone()).map_err(|e| damaged(file, e))?;
        let holds = |separator| archive.file_names().flatten().any(|name| name.contains(separator));
        let backslashes = holds('\\') && !holds('/');
        Ok(Self { archive, segment, backslashes })
    }

    /// What the directory says of each entry, in its order; the targets of links are read.
    pub fn entries(&mut self, file: &Path) -> Result<Vec<RawEntry>, ArchiveError> {
        self.refuse_two_meanings(file)?;
        let mut entries = Vec::with_capacity(self.archive.len());
        let mut places: Vec<(u64, u64, usize)> = Vec::with_capacity(self.archive.len());
        for index in 0..self.archive.len() {
            let entry = self.archive.by_index_raw(index).map_err(|e| damaged(file, e))?;
            let mut name = entry.name().map_err(|e| damaged(file, e))?.into_owned();
            if entry.encrypted() {
                return Err(ArchiveError::Encrypted(name));
            }
            let method = entry.compression();
            if !can_read(method) {
                return Err(ArchiveError::Method { entry: name, method: method.to_string() });
            }
            if self.backslashes {
                name = name.replace('\\', "/");
            }
            places.push((entry.header_start(), entry.compressed_size(), index));
            let bits = entry.unix_mode();
            let kind = match bits.map_or(0, |m| m & mode::TYPE) {
                _ if entry.is_dir() || name.ends_with('/') => RawKind::Folder,
                0 | mode::FILE => RawKind::File,
                mode::FOLDER => RawKind::Folder,
                mode::LINK => RawKind::Link(Vec::new()),
                _ => RawKind::Special,
            };
            let bytes = Some(entry.size());
            drop(entry);
            let kind = match kind {
                RawKind::Link(_) => {
                    let target = self.read(file, index, &name, &mut |content| read_target(content))?;
                    RawKind::Link(target)
                }
                other => other,
            };
            entries.push(RawEntry { name: name.into_bytes(), kind, mode: bits, bytes, modified: None });
        }
        places.sort_unstable();
        for pair in places.windows(2) {
            let ((start, length, index), (next, _, other)) = (pair[0], pair[1]);
            if start.saturating_add(LOCAL_HEADER).saturating_add(length) > next {
                let name = |index: usize| String::from_utf8_lossy(&entries[index].name).into_owned();
                return Err(ArchiveError::Overlap(name(index), name(other)));
            }
        }
        Ok(entries)
    }

    /// The directory may name an entry twice only if both are the same: readers differ in which of them they take.
    fn refuse_two_meanings(&self, file: &Path) -> Result<(), ArchiveError> {
        let broken = |source| ArchiveError::Damaged { file: file.to_owned(), source };
        let mut directory = self.segment.clone();
        directory.seek(SeekFrom::Start(self.archive.central_directory_start())).map_err(broken)?;
        let mut met: HashMap<Vec<u8>, [u8; 12]> = HashMap::new();
        loop {
            let mut fixed = [0; DIRECTORY_RECORD];
            if directory.read_exact(&mut fixed).is_err() || !fixed.starts_with(b"PK\x01\x02") {
                return Ok(());
            }
            let short = |at: usize| u16::from_le_bytes([fixed[at], fixed[at + 1]]);
            let mut name = vec![0; short(28).into()];
            directory.read_exact(&mut name).map_err(broken)?;
            directory.seek(SeekFrom::Current(i64::from(short(30)) + i64::from(short(32)))).map_err(broken)?;
            // Checksum and both sizes.
            let mut content = [0; 12];
            content.copy_from_slice(&fixed[16..28]);
            match met.insert(name.clone(), content) {
                Some(other) if other != content => {
                    return Err(ArchiveError::Twice(String::from_utf8_lossy(&name).into_owned()));
                }
                _ => {}
            }
        }
    }

    /// The whole content of a deflated entry, which takes half the time of a stream; `None` where it is packed otherwise,
    /// or too large to be held.
    pub fn inflate(&mut self, file: &Path, index: usize) -> Result<Option<Vec<u8>>, ArchiveError> {
        let mut entry = self.archive.by_index_raw(index).map_err(|e| damaged(file, e))?;
        let fits = |bytes: u64| usize::try_from(bytes).ok().filter(|_| bytes <= LARGEST_WHOLE);
        let (Some(size), Some(_)) = (fits(entry.size()), fits(entry.compressed_size())) else { return Ok(None) };
        if entry.compression() != CompressionMethod::Deflated {
            return Ok(None);
        }
        let broken = |source| ArchiveError::Damaged { file: file.to_owned(), source };
        let mut packed = Vec::new();
        entry.read_to_end(&mut packed).map_err(broken)?;
        let mut content = vec![0; size];
        let inflated = Decompressor::new().deflate_decompress(&packed, &mut content);
        let checksum = libdeflater::crc32(&content);
        match inflated {
            Ok(length) if length == size && checksum == entry.crc32() => Ok(Some(content)),
            Ok(_) => Err(broken(io::Error::new(io::ErrorKind::InvalidData, "an entry's checksum or length is wrong"))),
            Err(e) => Err(broken(io::Error::new(io::ErrorKind::InvalidData, e.to_string()))),
        }
    }

    /// Hands on an entry's content.
    pub fn read<T>(
        &mut self,
        file: &Path,
        index: usize,
        name: &str,
        take: &mut dyn FnMut(&mut dyn Read) -> io::Result<T>,
    ) -> Result<T, ArchiveError> {
        self.content(file, index, name, &mut |content| {
            take(content).map_err(|source| ArchiveError::Damaged { file: file.to_owned(), source })
        })
    }

    /// The same for work with errors of its own.
    pub fn content<T>(
        &mut self,
        file: &Path,
        index: usize,
        name: &str,
        take: &mut dyn FnMut(&mut dyn Read) -> Result<T, ArchiveError>,
    ) -> Result<T, ArchiveError> {
        let mut entry = match self.archive.by_index(index) {
            Ok(entry) => entry,
            Err(ZipError::UnsupportedArchive(method)) => {
                return Err(ArchiveError::Method { entry: name.to_owned(), method: method.to_string() });
            }
            Err(e) => return Err(damaged(file, e)),
        };
        take(&mut entry)
    }
}

/// Whether there is a decoder for the method here.
fn can_read(method: CompressionMethod) -> bool {
    use CompressionMethod as M;
    matches!(method, M::Stored | M::Deflated | M::Deflate64 | M::Bzip2 | M::Lzma | M::Zstd | M::Xz)
}

/// Whether a file that begins with something else ends as a zip: with the record that ends its directory (APPNOTE
/// 4.3.16), behind which only a comment may come.
pub(super) fn ends_like_one(segment: &mut Segment) -> io::Result<bool> {
    const RECORD: i64 = 22;
    const LONGEST_COMMENT: i64 = 0xffff;
    let length = segment.seek(SeekFrom::End(0))?;
    let back = (RECORD + LONGEST_COMMENT).min(i64::try_from(length).unwrap_or(i64::MAX));
    segment.seek(SeekFrom::End(-back))?;
    let mut end = Vec::new();
    segment.read_to_end(&mut end)?;
    Ok(end.windows(4).rev().any(|four| four == b"PK\x05\x06"))
}

fn damaged(file: &Path, source: ZipError) -> ArchiveError {
    ArchiveError::Damaged { file: file.to_owned(), source: io::Error::other(source) }
}

/// Goes through the entries in the directory's order.
pub(super) fn walk(file: &Path, segment: Segment, visit: &mut Visit<'_>) -> Result<(), ArchiveError> {
    let mut opened = Opened::open(file, segment)?;
    for (index, raw) in opened.entries(file)?.into_iter().enumerate() {
        let archive = matches!(raw.kind, RawKind::File).then_some(&mut opened.archive);
        visit(raw, &mut Content { archive, index, entry: None })?;
    }
    Ok(())
}

/// How many entries a zip has.
pub(super) fn count(file: &Path, segment: Segment) -> Result<usize, ArchiveError> {
    Ok(Opened::open(file, segment)?.archive.len())
}

/// An entry's content, whose decoder is made only when somebody reads.
struct Content<'a> {
    archive: Option<&'a mut ZipArchive<Buffered>>,
    index: usize,
    entry: Option<ZipFile<'a, Buffered>>,
}

impl Read for Content<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if let Some(archive) = self.archive.take() {
            self.entry = Some(archive.by_index(self.index).map_err(io::Error::other)?);
        }
        self.entry.as_mut().map_or(Ok(0), |entry| entry.read(buffer))
    }
}
