//! A downloaded file, opened once and recognised.

use std::fs::File;
use std::io::{self, BufReader, Read, Seek, SeekFrom, Write as _};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::compression::Compression;
use super::entries::{RawEntry, RawKind, Visit, Wanted};
use super::error::ArchiveError;
use super::kinds::{self, BLOCK, Container};
use super::limits::Limits;
use super::oddities::ReadWarnings;
use super::room::look_for_room;
use super::segment::Segment;
use super::size::{self, CutOff};
use super::write::CHUNK;
use super::{deb, seven_zip, single, tar, zip};
use crate::error::FileContext as _;
use crate::finding::Finding;
use crate::given;
use crate::program::HEAD_BYTES;
use crate::progress::Stop;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Format {
    pub container: Container,
    pub compression: Compression,
    pub bytes: u64,
    /// The archive inside, by its name, where the file holds just that one.
    pub inner: Option<String>,
}

impl Format {
    pub fn describe(&self) -> String {
        describe_format(self.container, self.compression, self.inner.as_deref())
    }
}

/// A format in words; `inner` is the archive inside.
pub fn describe_format(container: Container, compression: Compression, inner: Option<&str>) -> String {
    let container = match container {
        Container::Zip => "zip archive",
        Container::Tar => "tar archive",
        Container::SevenZip => "7z archive",
        Container::Deb => "Debian package",
        Container::Single if compression == Compression::None => "single program",
        Container::Single => "single file",
    };
    let around = match compression {
        Compression::None => String::new(),
        compression => format!(" in {}", compression.name()),
    };
    let inner = inner.map(|name| format!(", from {name} in the file")).unwrap_or_default();
    format!("{container}{around}{inner}")
}

/// An opened file. Everything is read from what was opened, whatever happens to the name meanwhile.
#[derive(Debug, Clone)]
pub struct Source {
    pub path: PathBuf,
    pub format: Format,
    whole: Segment,
    /// The archive: the whole, a package's data, or an archive inside.
    archive: Segment,
    /// The name of the only file, where the file is no archive.
    single_name: String,
    oddities: ReadWarnings,
    /// Whether only a checksum can tell that its end is not missing.
    end_unproven: bool,
}

impl Source {
    /// Opens a file and says what it is. An archive that holds nothing but another archive is opened through; that one
    /// is laid into `scratch`, as a file without a name.
    ///
    /// # Errors
    /// When it is nothing that can be unpacked, with what it looks like; when it cannot be read.
    pub fn open(file: &Path, scratch: &Path, stop: &Stop) -> Result<Self, ArchiveError> {
        let seen = match std::fs::metadata(file) {
            Err(e) if e.kind() == io::ErrorKind::NotFound => return Err(ArchiveError::NoFile(file.to_owned())),
            seen => seen.at("find", file)?,
        };
        if seen.is_dir() {
            return Err(ArchiveError::IsFolder(file.to_owned()));
        }
        if let Some(what) = given::without_content(file) {
            return Err(ArchiveError::not(file, what));
        }
        let opened = Arc::new(given::open(file).at("open", file)?);
        let bytes = opened.metadata().at("look at", file)?.len();
        let whole = Segment::new(opened, 0, bytes);
        let mut source = Self::of(file, whole, bytes)?;
        for _ in 0..MOST_INSIDE {
            let Some((name, inner, length)) = source.only_archive(scratch, stop)? else { break };
            let inside = Self::of(Path::new(&name), Segment::new(Arc::new(inner), 0, length), bytes)?;
            let format = Format { inner: Some(name), ..inside.format };
            // What is around it has a checksum of its own.
            source = Self { path: source.path, whole: source.whole, format, end_unproven: false, ..inside };
        }
        Ok(source)
    }

    /// Opens a file as one that stays whole and keeps its name, whatever is in it.
    pub fn open_whole(file: &Path) -> Result<Self, ArchiveError> {
        let opened = Arc::new(given::open(file).at("open", file)?);
        let bytes = opened.metadata().at("look at", file)?.len();
        let whole = Segment::new(opened, 0, bytes);
        Ok(Self {
            path: file.to_owned(),
            format: Format { container: Container::Single, compression: Compression::None, bytes, inner: None },
            archive: whole.clone(),
            whole,
            single_name: file.file_name().unwrap_or_default().to_string_lossy().into_owned(),
            oddities: ReadWarnings::default(),
            end_unproven: false,
        })
    }

    /// What lies in a file from this byte on, as the archive behind the text of a self-extractor.
    pub fn behind(file: &Path, at: u64) -> Result<Self, ArchiveError> {
        let opened = Arc::new(given::open(file).at("open", file)?);
        let bytes = opened.metadata().at("look at", file)?.len();
        let length = bytes.saturating_sub(at);
        Self::of(file, Segment::new(opened, at, length), length)
    }

    fn of(file: &Path, whole: Segment, bytes: u64) -> Result<Self, ArchiveError> {
        let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
        let head = head(&mut whole.clone()).map_err(damaged)?;
        let name = file.file_name().unwrap_or_default().to_string_lossy();
        let compression = Compression::of(&head);
        let mut archive = whole.clone();
        let mut container = kinds::container(&head);
        let mut around = Compression::None;
        let oddities = ReadWarnings::default();
        if container == Some(Container::Deb) {
            let (start, length) = deb::data(&mut archive.clone()).map_err(damaged)?;
            archive = archive.part(start, length);
            around = Compression::of(&self::head(&mut archive.clone()).map_err(damaged)?);
        } else if container.is_none() && compression != Compression::None {
            around = compression;
            let inner = compression.open(archive.clone(), &oddities).and_then(|mut stream| self::head(&mut stream));
            let inner = inner.map_err(|source| damaged(source).of_stream(bytes))?;
            // Only a stream can be read out of a stream; a zip inside is found as the single file.
            container = kinds::container(&inner).filter(|c| *c == Container::Tar).or(Some(Container::Single));
        } else if container.is_none() && kinds::is_program(&name, &head) {
            container = Some(Container::Single);
        } else if container.is_none() && zip::end(&mut archive.clone()).map_err(damaged)?.is_some() {
            container = Some(Container::Zip);
        }
        let Some(container) = container else { return Err(ArchiveError::not(file, &kinds::looks_like(&name, &head))) };
        let cut_off = size::cut_off(container, around, &head, &whole).map_err(damaged)?;
        let end_unproven = container == Container::Tar && cut_off == Some(CutOff(None));
        if let Some(CutOff(expected)) = cut_off.filter(|_| !end_unproven) {
            return Err(ArchiveError::CutOff { file: file.to_owned(), bytes, expected });
        }
        if end_unproven {
            oddities.lacks_end();
        }
        let format = Format { container, compression: around, bytes, inner: None };
        Ok(Self {
            path: file.to_owned(),
            format,
            whole,
            archive,
            single_name: single::plain_name(file),
            oddities,
            end_unproven,
        })
    }

    pub fn whole(&self) -> impl Read + Seek + use<> {
        self.whole.clone()
    }

    /// Refuses a file whose end may be missing, unless a published checksum tells that it is whole.
    pub fn check_end(&self, is_published: bool) -> Result<(), ArchiveError> {
        match self.end_unproven && !is_published {
            true => Err(ArchiveError::CutOff { file: self.path.clone(), bytes: self.format.bytes, expected: None }),
            false => Ok(()),
        }
    }

    pub fn findings(&self) -> Vec<Finding> {
        self.oddities.findings()
    }

    pub(super) fn walk(
        &self,
        wanted: Wanted,
        limits: &Limits,
        stop: &Stop,
        visit: &mut Visit<'_>,
    ) -> Result<(), ArchiveError> {
        let walked = self.walk_container(wanted, limits, stop, visit);
        match self.format.compression {
            Compression::None => walked,
            _ => walked.map_err(|error| error.of_stream(self.format.bytes)),
        }
    }

    fn walk_container(
        &self,
        wanted: Wanted,
        limits: &Limits,
        stop: &Stop,
        visit: &mut Visit<'_>,
    ) -> Result<(), ArchiveError> {
        match self.format.container {
            Container::Zip => zip::walk(&self.path, self.archive.clone(), limits, visit),
            Container::SevenZip => seven_zip::walk(&self.path, self.archive.clone(), wanted, stop, visit),
            Container::Tar | Container::Deb => {
                tar::walk(&self.path, self.archive.clone(), self.format.compression, &self.oddities, visit)
            }
            Container::Single => self.walk_single(visit),
        }
    }

    /// How many bytes its files take at the least.
    pub(super) fn content_bytes(&self) -> u64 {
        size::content_bytes(self.format.container, self.format.compression, &self.archive)
    }

    pub(super) fn archive(&self) -> Segment {
        self.archive.clone()
    }

    fn walk_single(&self, visit: &mut Visit<'_>) -> Result<(), ArchiveError> {
        let damaged = |source| ArchiveError::Damaged { file: self.path.clone(), source };
        let content = self.format.compression.open(self.archive.clone(), &self.oddities).map_err(damaged)?;
        let mut content = BufReader::with_capacity(CHUNK, content);
        let known = self.format.compression == Compression::None;
        let raw = RawEntry {
            name: self.single_name.clone().into_bytes(),
            kind: RawKind::File,
            mode: Some(0o755),
            modeless: false,
            modified: None,
            bytes: known.then_some(self.format.bytes),
        };
        visit(raw, &mut content)?;
        // To the very end, so that the stream's own checksum is verified.
        io::copy(&mut content, &mut io::sink()).map(|_| ()).map_err(damaged)
    }

    /// The only file of this archive, where that is an archive in turn: its name, laid out, and its length.
    fn only_archive(&self, scratch: &Path, stop: &Stop) -> Result<Option<(String, File, u64)>, ArchiveError> {
        // With more than an archive, folders and litter in it the file holds more than an archive.
        const MOST_BESIDE: u64 = 64;
        if self.format.container == Container::Zip {
            let damaged = |source| ArchiveError::Damaged { file: self.path.clone(), source };
            if zip::end(&mut self.archive.clone()).map_err(damaged)?.is_some_and(|end| end.entries > MOST_BESIDE) {
                return Ok(None);
            }
        }
        let mut found: Option<(String, File, u64)> = None;
        let mut alone = true;
        let walked = self.walk(Wanted::All, &Limits::default(), stop, &mut |raw, content| {
            let name = String::from_utf8_lossy(&raw.name).into_owned();
            let last = name.rsplit(['/', '\\']).next().unwrap_or_default().to_owned();
            if matches!(raw.kind, RawKind::Folder) || last.starts_with("._") || last == ".DS_Store" {
                return Ok(());
            }
            let head = head(content).map_err(|source| ArchiveError::Damaged { file: self.path.clone(), source })?;
            alone = found.is_none() && matches!(raw.kind, RawKind::File) && kinds::could_be_opened(&head);
            if !alone {
                // Nothing more needs to be read.
                return Err(ArchiveError::Interrupted);
            }
            let mut laid = tempfile::tempfile_in(scratch).at("make a file in", scratch)?;
            let damaged = |source| ArchiveError::Damaged { file: self.path.clone(), source };
            let mut all = head.as_slice().chain(content);
            let (mut length, mut buffer) = (0, vec![0; CHUNK]);
            // A part at a time, so that the user does not wait for the end of a large one.
            loop {
                let part = all.read(&mut buffer).map_err(damaged)? as u64;
                length += part;
                Limits::default().check(1, length, self.format.bytes)?;
                look_for_room(scratch, ROOM_LEFT)?;
                laid.write_all(&buffer[..usize::try_from(part).unwrap_or_default()]).at("write a file in", scratch)?;
                if stop.requested() {
                    return Err(ArchiveError::Interrupted);
                }
                if part == 0 {
                    break;
                }
            }
            laid.seek(SeekFrom::Start(0)).at("write", scratch)?;
            found = Some((last, laid, length));
            Ok(())
        });
        match walked {
            Err(ArchiveError::Interrupted) if !alone && !stop.requested() => Ok(None),
            Err(e) => Err(e),
            Ok(()) => Ok(found),
        }
    }
}

/// At most this many bytes of a disk are left free when an archive in an archive is laid out.
const ROOM_LEFT: u64 = 64 << 20;

const MOST_INSIDE: usize = 3;

/// The first bytes, as many as anything needs to be recognised.
fn head(content: &mut dyn Read) -> io::Result<Vec<u8>> {
    const { assert!(HEAD_BYTES >= BLOCK) };
    let mut head = Vec::with_capacity(HEAD_BYTES);
    content.take(HEAD_BYTES as u64).read_to_end(&mut head)?;
    Ok(head)
}
