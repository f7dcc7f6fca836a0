//! zip, read through its central directory (PKWARE APPNOTE).

use std::collections::HashMap;
use std::io::{self, BufReader, Read, Seek as _, SeekFrom};
use std::path::Path;

use libdeflater::Decompressor;
use zip::result::ZipError;
use zip::{CompressionMethod, ZipArchive};

use super::compression;
use super::entries::{RawEntry, RawKind, Visit, mode, read_target};
use super::error::ArchiveError;
use super::limits::Limits;
use super::segment::{Buffered, Segment};
use super::stream::Decoded;
use super::write::CHUNK;
use super::zip_header::{self, InDirectory};

/// The length of a directory record without its name, extra fields and comment (APPNOTE 4.3.12).
const DIRECTORY_RECORD: usize = 46;

/// What a directory record usually has beside its name, in bytes: the record, times, owner and large sizes.
const LONGEST_RECORD_BESIDE_NAME: u64 = 46 + 96;

/// A packed entry that is shorter, in bytes, has the next header near its own.
const SMALL: u64 = 2 << 10;

/// The largest entry that is unpacked in memory, in bytes, packed or not.
const LARGEST_WHOLE: u64 = 8 << 20;

/// How much all threads together may hold unpacked, in bytes; packed it can be as much again.
const WHOLE_TOGETHER: u64 = 16 << 20;

/// What one thread keeps from entry to entry, so that memory is asked for only once.
pub(super) struct Whole {
    largest: u64,
    packed: Vec<u8>,
    content: Vec<u8>,
    decoder: Decompressor,
}

impl Whole {
    pub fn new(threads: usize) -> Self {
        let share = WHOLE_TOGETHER / u64::try_from(threads.max(1)).unwrap_or(u64::MAX);
        let largest = share.min(LARGEST_WHOLE);
        Self { largest, packed: Vec::new(), content: Vec::new(), decoder: Decompressor::new() }
    }
}

/// An opened zip. A clone shares the directory and reads on its own.
#[derive(Clone)]
pub(super) struct Opened {
    archive: ZipArchive<Buffered>,
    segment: Buffered,
    /// Whether `\` separates the parts of names: some packers of Windows write it, and then no `/` at all.
    backslashes: bool,
    /// Whether no entry is marked as executable.
    modeless: bool,
}

impl Opened {
    /// Reads the directory, where it is within the limits.
    pub fn open(file: &Path, segment: Segment, limits: &Limits) -> Result<Self, ArchiveError> {
        let broken = |source| ArchiveError::Damaged { file: file.to_owned(), source };
        if let Some(end) = end(&mut segment.clone()).map_err(broken)? {
            limits.check(usize::try_from(end.entries).unwrap_or(usize::MAX), 0, 1)?;
            let records = end.entries.saturating_mul(LONGEST_RECORD_BESIDE_NAME);
            limits.check_names(usize::try_from(end.directory.saturating_sub(records)).unwrap_or(usize::MAX))?;
        }
        let segment = Buffered::new(segment);
        let archive = ZipArchive::new(segment.clone()).map_err(|e| damaged(file, e))?;
        let holds = |separator| archive.file_names_raw().any(|name| name.contains(&separator));
        let backslashes = !holds(b'/') && holds(b'\\');
        Ok(Self { archive, segment, backslashes, modeless: true })
    }

    pub fn len(&self) -> usize {
        self.archive.len()
    }

    /// Refuses what cannot be read or would mean two things, by what the directory says, and learns whether it knows
    /// modes.
    pub fn check(&mut self, file: &Path) -> Result<(), ArchiveError> {
        if self.archive.has_duplicate_names() {
            self.refuse_two_meanings(file)?;
        }
        let mut places: Vec<(u64, u64, usize)> = Vec::with_capacity(self.archive.len());
        for index in 0..self.archive.len() {
            let entry = self.archive.by_index_data(index).map_err(|e| damaged(file, e))?;
            if entry.encrypted() {
                return Err(ArchiveError::Encrypted(self.name(file, index)?));
            }
            let method = entry.compression();
            if number(method).is_none() {
                let method = method.to_string();
                return Err(ArchiveError::Method { entry: self.name(file, index)?, method });
            }
            places.push((entry.header_start(), entry.compressed_size(), index));
            let executable = |bits: u32| matches!(bits & mode::TYPE, 0 | mode::FILE) && bits & mode::EXECUTE != 0;
            if entry.unix_mode().is_some_and(executable) && !entry.is_dir() {
                self.modeless = false;
            }
        }
        places.sort_unstable();
        for pair in places.windows(2) {
            let ((start, length, index), (next, _, other)) = (pair[0], pair[1]);
            if start.saturating_add(zip_header::LENGTH).saturating_add(length) > next {
                return Err(ArchiveError::Overlap(self.name(file, index)?, self.name(file, other)?));
            }
        }
        let (mut headers, mut near) = (self.segment.segment(), self.segment.clone());
        zip_header::check_front(file, &mut headers, places.first().map(|(start, ..)| *start))?;
        let mut header = Vec::new();
        for (at, length, index) in places {
            let entry = self.archive.by_index_data(index).map_err(|e| damaged(file, e))?;
            // Other methods, and encryption, were refused above.
            let said =
                InDirectory { at, name: entry.name_raw(), method: number(entry.compression()), encrypted: false };
            // The headers of small entries are read several at a time.
            match length {
                ..SMALL => zip_header::compare(file, &mut near, &said, &mut header)?,
                _ => zip_header::compare(file, &mut headers, &said, &mut header)?,
            }
        }
        Ok(())
    }

    /// What the directory says of an entry; the target of a link is read.
    pub fn entry(&mut self, file: &Path, index: usize) -> Result<RawEntry, ArchiveError> {
        let name = self.name(file, index)?;
        let entry = self.archive.by_index_data(index).map_err(|e| damaged(file, e))?;
        let (bits, bytes) = (entry.unix_mode(), Some(entry.size()));
        let kind = match bits.map_or(0, |m| m & mode::TYPE) {
            _ if entry.is_dir() || name.ends_with('/') => RawKind::Folder,
            0 | mode::FILE => RawKind::File,
            mode::FOLDER => RawKind::Folder,
            // What was packed from a pipe has its mode.
            mode::PIPE => RawKind::File,
            mode::LINK => RawKind::Link(self.read(file, index, &name, &mut |content| read_target(content))?),
            _ => RawKind::Special,
        };
        Ok(RawEntry { name: name.into_bytes(), kind, mode: bits, modeless: self.modeless, bytes, modified: None })
    }

    fn name(&self, file: &Path, index: usize) -> Result<String, ArchiveError> {
        let entry = self.archive.by_index_data(index).map_err(|e| damaged(file, e))?;
        let name = entry.name().map_err(|e| damaged(file, e))?;
        Ok(if self.backslashes { name.replace('\\', "/") } else { name.into_owned() })
    }

    /// The directory may name an entry twice only if both are the same: readers differ in which of them they take.
    fn refuse_two_meanings(&self, file: &Path) -> Result<(), ArchiveError> {
        let broken = |source| ArchiveError::Damaged { file: file.to_owned(), source };
        let mut directory = self.segment.clone();
        directory.seek(SeekFrom::Start(self.archive.central_directory_start())).map_err(broken)?;
        let mut met: HashMap<Vec<u8>, (usize, [u8; 12])> = HashMap::new();
        for place in 1.. {
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
            let Some((earlier, other)) = met.get(&name) else {
                met.insert(name, (place, content));
                continue;
            };
            if *other != content {
                let words = |place: usize, content: &[u8; 12]| {
                    let size = u32::from_le_bytes([content[8], content[9], content[10], content[11]]);
                    format!("{size} bytes as entry {place}")
                };
                let entry = String::from_utf8_lossy(&name).into_owned();
                let (one, other) = (words(*earlier, other), words(place, &content));
                return Err(ArchiveError::TwoContents { entry, one, other });
            }
        }
        Ok(())
    }

    /// The whole content of a deflated entry, which takes half the time of a stream; `None` where it is packed otherwise,
    /// or too large to be held.
    pub fn inflate<'a>(
        &mut self,
        file: &Path,
        index: usize,
        whole: &'a mut Whole,
    ) -> Result<Option<&'a [u8]>, ArchiveError> {
        let mut entry = self.archive.by_index_raw(index).map_err(|e| damaged(file, e))?;
        let fits = |bytes: u64| usize::try_from(bytes).ok().filter(|_| bytes <= whole.largest);
        let (Some(size), Some(_)) = (fits(entry.size()), fits(entry.compressed_size())) else { return Ok(None) };
        if entry.compression() != CompressionMethod::Deflated {
            return Ok(None);
        }
        let broken = |source| ArchiveError::Damaged { file: file.to_owned(), source };
        whole.packed.clear();
        entry.read_to_end(&mut whole.packed).map_err(broken)?;
        if whole.content.len() < size {
            whole.content.resize(size, 0);
        }
        let content = &mut whole.content[..size];
        let inflated = whole.decoder.deflate_decompress(&whole.packed, content);
        let checksum = libdeflater::crc32(content);
        match inflated {
            Ok(length) if length == size && checksum == entry.crc32() => Ok(Some(content)),
            Ok(_) => Err(broken(io::Error::new(io::ErrorKind::InvalidData, "an entry's checksum or length is wrong"))),
            Err(e) => Err(broken(io::Error::new(io::ErrorKind::InvalidData, e.to_string()))),
        }
    }

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

    pub fn content<T>(
        &mut self,
        file: &Path,
        index: usize,
        name: &str,
        take: &mut dyn FnMut(&mut dyn Read) -> Result<T, ArchiveError>,
    ) -> Result<T, ArchiveError> {
        let mut content = match content(&mut self.archive, index) {
            Ok(content) => content,
            Err(ZipError::UnsupportedArchive(method)) => {
                return Err(ArchiveError::Method { entry: name.to_owned(), method: method.to_string() });
            }
            Err(e) => return Err(damaged(file, e)),
        };
        take(&mut content)
    }
}

/// An entry's content, unpacked: by the decoders that other formats have as well, where there are some, and else by the
/// crate.
fn content(archive: &mut ZipArchive<Buffered>, index: usize) -> Result<Box<dyn Read + '_>, ZipError> {
    let method = archive.by_index_data(index)?.compression();
    if !matches!(method, CompressionMethod::ZSTD | CompressionMethod::LZMA | CompressionMethod::XZ) {
        return Ok(Box::new(archive.by_index(index)?));
    }
    let entry = archive.by_index_raw(index)?;
    let (size, checksum) = (entry.size(), entry.crc32());
    let unpacked: Box<dyn Read + '_> = match method {
        CompressionMethod::ZSTD => Box::new(compression::zstd(BufReader::new(entry))?),
        CompressionMethod::LZMA => Box::new(compression::lzma(BufReader::new(as_lzma_file(entry, size)?))?),
        _ => Box::new(compression::xz(BufReader::new(entry))?),
    };
    Ok(Box::new(Compared { unpacked, size, checksum, read: 0, summed: libdeflater::Crc::new() }))
}

/// An entry packed with LZMA as a file of the old format: of the entry's head only the five bytes of properties stay, which
/// the size follows (APPNOTE 5.8.8; LZMA SDK, "lzma.txt").
fn as_lzma_file(mut entry: impl Read, size: u64) -> io::Result<impl Read> {
    // Version, and the length of the properties.
    let (mut head, mut properties) = ([0; 4], [0; 5]);
    entry.read_exact(&mut head)?;
    if head[2..] != [5, 0] {
        return Err(io::Error::new(io::ErrorKind::InvalidData, "an entry's LZMA properties are not five bytes long"));
    }
    entry.read_exact(&mut properties)?;
    let head = [&properties[..], &size.to_le_bytes()].concat();
    Ok(io::Cursor::new(head).chain(entry))
}

/// Content whose length and checksum are compared with what the directory says.
struct Compared<'a> {
    unpacked: Box<dyn Read + 'a>,
    size: u64,
    checksum: u32,
    read: u64,
    summed: libdeflater::Crc,
}

impl Read for Compared<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.unpacked.read(buffer)?;
        self.read += read as u64;
        self.summed.update(&buffer[..read]);
        let ended = read == 0 && !buffer.is_empty();
        if self.read > self.size || ended && (self.read, self.summed.sum()) != (self.size, self.checksum) {
            return Err(io::Error::new(io::ErrorKind::InvalidData, "an entry's checksum or length is wrong"));
        }
        Ok(read)
    }
}

/// The number of a method that there is a decoder for here (APPNOTE 4.4.5).
fn number(method: CompressionMethod) -> Option<u16> {
    use CompressionMethod as M;
    Some(match method {
        M::Stored => 0,
        M::Deflated => 8,
        M::Deflate64 => 9,
        M::Bzip2 => 12,
        M::LZMA => 14,
        M::ZSTD => 93,
        M::XZ => 95,
        _ => return None,
    })
}

/// What the record at the end of a zip says of its directory.
pub(super) struct EndRecord {
    pub entries: u64,
    /// The directory's length in bytes.
    pub directory: u64,
}

/// Finds the record that ends a zip's directory (APPNOTE 4.3.16), behind which only a comment may come; where its fields
/// are too small, the larger record in front of it counts (4.3.14). `None` where there is no such record.
pub(super) fn end(segment: &mut Segment) -> io::Result<Option<EndRecord>> {
    const RECORD: usize = 22;
    const LARGE_RECORD: usize = 56;
    /// Both, the record that tells where the large one is, and the longest comment.
    const MOST: i64 = 22 + 56 + 20 + 0xffff;
    let length = segment.seek(SeekFrom::End(0))?;
    segment.seek(SeekFrom::End(-MOST.min(i64::try_from(length).unwrap_or(i64::MAX))))?;
    let mut end = Vec::new();
    segment.read_to_end(&mut end)?;
    let number = |bytes: &[u8]| bytes.iter().rev().fold(0u64, |number, byte| number << 8 | u64::from(*byte));
    let Some(record) = end.windows(RECORD).rev().find(|record| record.starts_with(b"PK\x05\x06")) else {
        return Ok(None);
    };
    let (entries, directory) = (number(&record[10..12]), number(&record[12..16]));
    let large = end.windows(LARGE_RECORD).rev().find(|record| record.starts_with(b"PK\x06\x06"));
    Ok(Some(match large.filter(|_| entries == 0xffff || directory == 0xffff_ffff) {
        Some(large) => EndRecord { entries: number(&large[32..40]), directory: number(&large[40..48]) },
        None => EndRecord { entries, directory },
    }))
}

fn damaged(file: &Path, source: ZipError) -> ArchiveError {
    ArchiveError::Damaged { file: file.to_owned(), source: io::Error::other(source) }
}

pub(super) fn walk(file: &Path, segment: Segment, limits: &Limits, visit: &mut Visit<'_>) -> Result<(), ArchiveError> {
    let mut opened = Opened::open(file, segment, limits)?;
    opened.check(file)?;
    let mut buffer = vec![0; CHUNK];
    for index in 0..opened.len() {
        let raw = opened.entry(file, index)?;
        let archive = matches!(raw.kind, RawKind::File).then_some(&mut opened.archive);
        visit(raw, &mut Decoded::new(&mut EntryContent { archive, index, content: None }, &mut buffer))?;
    }
    Ok(())
}

/// An entry's content, whose decoder is made only when somebody reads.
struct EntryContent<'a> {
    archive: Option<&'a mut ZipArchive<Buffered>>,
    index: usize,
    content: Option<Box<dyn Read + 'a>>,
}

impl Read for EntryContent<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if let Some(archive) = self.archive.take() {
            self.content = Some(content(archive, self.index).map_err(io::Error::other)?);
        }
        self.content.as_mut().map_or(Ok(0), |content| content.read(buffer))
    }
}

#[cfg(test)]
mod tests {
    use std::io::Write as _;

    use super::*;
    use crate::archive::{Options, Source, unpack};
    use crate::progress::{Processor, Silent, Stop};

    /// A zip with one entry that is packed by this method.
    fn packed(method: u16, packed: &[u8], size: usize, checksum: u32) -> Vec<u8> {
        let mut zip = zip::ZipWriter::new(io::Cursor::new(Vec::new()));
        let stored = zip::write::SimpleFileOptions::default().compression_method(CompressionMethod::Stored);
        zip.start_file("t", stored).unwrap();
        zip.write_all(packed).unwrap();
        let mut bytes = zip.finish().unwrap().into_inner();
        let directory = bytes.windows(4).rposition(|mark| mark == b"PK\x01\x02").unwrap();
        // Of both headers (APPNOTE 4.3.7, 4.3.12) the method, the checksum, and the size.
        for (method_at, checksum_at, size_at) in [(8, 14, 22), (directory + 10, directory + 16, directory + 24)] {
            bytes[method_at..method_at + 2].copy_from_slice(&method.to_le_bytes());
            bytes[checksum_at..checksum_at + 4].copy_from_slice(&checksum.to_le_bytes());
            bytes[size_at..size_at + 4].copy_from_slice(&u32::try_from(size).unwrap().to_le_bytes());
        }
        bytes
    }

    #[test]
    fn methods_of_other_formats_are_read_and_compared() {
        let tide: Vec<u8> = (0..200_000u32).flat_map(u32::to_le_bytes).collect();
        let mut summed = libdeflater::Crc::new();
        summed.update(&tide);
        let (checksum, size) = (summed.sum(), tide.len());
        let xz = |encoder: liblzma::stream::Stream| {
            let mut packer = liblzma::read::XzEncoder::new_stream(&tide[..], encoder);
            let mut packed = Vec::new();
            packer.read_to_end(&mut packed).unwrap();
            packed
        };
        let options = liblzma::stream::LzmaOptions::new_preset(1).unwrap();
        let file = xz(liblzma::stream::Stream::new_lzma_encoder(&options).unwrap());
        // A zip has a version and a length in place of the size (APPNOTE 5.8.8).
        let lzma = [&[9, 20, 5, 0], &file[..5], &file[13..]].concat();
        let check = liblzma::stream::Check::Crc32;
        let xz = xz(liblzma::stream::Stream::new_easy_encoder(1, check).unwrap());
        for (method, bytes) in [(14, lzma), (93, ::zstd::encode_all(&tide[..], 1).unwrap()), (95, xz)] {
            for (size, checksum, fine) in [
                (size, checksum, true),
                (size, checksum ^ 1, false),
                (size - 1, checksum, false),
                (size + 1, checksum, false),
            ] {
                let folder = tempfile::tempdir().unwrap();
                let (file, root) = (folder.path().join("t.zip"), folder.path().join("root"));
                std::fs::write(&file, packed(method, &bytes, size, checksum)).unwrap();
                std::fs::create_dir(&root).unwrap();
                let source = Source::open(&file, folder.path(), &Stop::default()).unwrap();
                let free = Processor::free();
                let done = unpack(&source, &root, Options::default(), &Silent, &Stop::default(), &free);
                assert_eq!(done.is_ok(), fine, "{method}: {done:?}");
                assert!(!fine || std::fs::read(root.join("t")).unwrap() == tide, "{method}");
            }
        }
    }
}
