//! Reading and writing snapshots.

use std::io::{self, Read as _, Write as _};
use std::path::{Path, PathBuf};

use flate2::Compression;
use flate2::read::GzDecoder;
use flate2::write::GzEncoder;
use serde::Deserialize;

use super::format::{FORMAT, Snapshot};
use crate::error::{FileContext as _, FileError, classified};
use crate::given;
use crate::report::Report;
use crate::whole_file;
use crate::yard::{YardError, YardLock};

/// The largest document that is read, in bytes.
const MOST: u64 = 64 << 20;

#[derive(Debug, thiserror::Error)]
pub enum SnapshotError {
    #[error(transparent)]
    File(#[from] FileError),
    #[error(transparent)]
    Yard(#[from] YardError),
    #[error("no such file: {}", .0.display())]
    NoFile(PathBuf),
    #[error("{}: not a snapshot: {why}", file.display())]
    NotOne { file: PathBuf, why: String },
    #[error("{}: a snapshot of format {found}; this wyard reads format {FORMAT}", file.display())]
    Format { file: PathBuf, found: u32 },
    #[error("the snapshot has no {caller} terminal; it has: {}", recorded.join(", "))]
    NoTerminal { caller: &'static str, recorded: Vec<String> },
    /// It was made by a version of this program that did not record this.
    #[error("the snapshot has no {what}; it was made by wyard {made_by}")]
    NotRecorded { what: &'static str, made_by: String },
    /// None is kept in the yard.
    #[error("no snapshot is kept in the yard")]
    NoneKept,
    #[error("{} exists, and is not a snapshot", .0.display())]
    InTheWay(PathBuf),
}

classified!(SnapshotError {
    Self::NotOne { .. } => Input, "to make one: wyard snapshot --into FILE";
    Self::NoFile(_) => Call, "to make one: wyard snapshot --into FILE";
    Self::NotRecorded { .. } => Input, "take the snapshot again, with this version of wyard";
    Self::NoneKept => Call, "to keep one: wyard snapshot";
    Self::Format { .. } => Input, "use a later wyard";
    Self::InTheWay(_) => Call, "name another file";
    Self::NoTerminal { .. } => Call;
} from File, Yard);

impl SnapshotError {
    /// Something is not in a snapshot.
    pub fn not_recorded(snapshot: &Snapshot, what: &'static str) -> Self {
        Self::NotRecorded { what, made_by: snapshot.made_by.clone() }
    }
}

pub fn read(file: &Path) -> Result<Snapshot, SnapshotError> {
    parse(file, SnapshotText::default().read(file)?)
}

/// The texts of snapshots, one after another in the same memory.
#[derive(Debug, Default)]
pub struct SnapshotText {
    text: Vec<u8>,
    packed: Vec<u8>,
}

impl SnapshotText {
    pub fn read(&mut self, file: &Path) -> Result<&[u8], SnapshotError> {
        match self.fill(file) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => Err(SnapshotError::NoFile(file.to_owned())),
            Err(error) if error.kind() == io::ErrorKind::InvalidInput => {
                Err(SnapshotError::NotOne { file: file.to_owned(), why: error.to_string() })
            }
            filled => {
                filled.at("read", file)?;
                Ok(&self.text)
            }
        }
    }

    fn fill(&mut self, file: &Path) -> io::Result<()> {
        self.text = given::read(file, MOST)?;
        if self.text.starts_with(&[0x1f, 0x8b]) {
            std::mem::swap(&mut self.text, &mut self.packed);
            self.text.clear();
            GzDecoder::new(&self.packed[..]).take(MOST).read_to_end(&mut self.text)?;
        }
        Ok(())
    }
}

/// Reads the text of a snapshot; `file` is what errors name.
pub fn parse(file: &Path, text: &[u8]) -> Result<Snapshot, SnapshotError> {
    #[derive(Deserialize)]
    struct Numbered {
        snapshot: u32,
    }
    let of_format = |found| SnapshotError::Format { file: file.to_owned(), found };
    match serde_json::from_slice::<Snapshot>(text) {
        Ok(snapshot) if snapshot.snapshot == FORMAT => Ok(snapshot),
        Ok(snapshot) => Err(of_format(snapshot.snapshot)),
        // A later format may have other fields: that is told first.
        Err(why) => match serde_json::from_slice::<Numbered>(text) {
            Ok(Numbered { snapshot: found }) if found != FORMAT => Err(of_format(found)),
            _ => Err(SnapshotError::NotOne { file: file.to_owned(), why: why.to_string() }),
        },
    }
}

/// A snapshot as the bytes of a file, packed or not.
fn bytes(report: &Report<Snapshot>, is_packed: bool) -> io::Result<Vec<u8>> {
    let mut text = serde_json::to_vec(report)?;
    text.push(b'\n');
    if !is_packed {
        return Ok(text);
    }
    let mut packer = GzEncoder::new(Vec::new(), Compression::best());
    packer.write_all(&text)?;
    packer.finish()
}

/// Keeps a snapshot in the yard, in place of the last one.
pub fn keep(lock: &YardLock, report: &Report<Snapshot>) -> Result<PathBuf, SnapshotError> {
    let file = lock.yard().last_snapshot();
    let packed = bytes(report, true).at("write", &file)?;
    lock.keep_file(&file, &packed)?;
    Ok(file)
}

/// Writes a snapshot, packed where the file's name ends in `.gz`. An earlier snapshot is replaced, any other file is not.
pub fn write(file: &Path, report: &Report<Snapshot>) -> Result<(), SnapshotError> {
    // A pipe would be waited for.
    if file.is_dir() || given::without_content(file).is_some() || (file.exists() && read(file).is_err()) {
        return Err(SnapshotError::InTheWay(file.to_owned()));
    }
    let file = &std::path::absolute(file).at("find", file)?;
    let is_packed = file.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("gz"));
    let text = bytes(report, is_packed).at("write", file)?;
    Ok(whole_file::replace(file, &text)?)
}
