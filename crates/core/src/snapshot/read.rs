//! Reading and writing snapshots.

use std::fs::File;
use std::io::{self, Read as _, Write as _};
use std::path::{Path, PathBuf};

use flate2::Compression;
use flate2::read::GzDecoder;
use flate2::write::GzEncoder;
use serde::Deserialize;

use super::format::{FORMAT, Snapshot};
use crate::error::{Blame, Blamed, FileContext as _, FileError};
use crate::report::Report;
use crate::whole_file;

/// The largest document that is read, in bytes.
const MOST: u64 = 64 << 20;

/// Why a snapshot is of no use.
#[derive(Debug, thiserror::Error)]
pub enum SnapshotError {
    /// It cannot be read or written.
    #[error(transparent)]
    File(#[from] FileError),
    /// There is none.
    #[error("no such file: {}", .0.display())]
    NoFile(PathBuf),
    /// It is no snapshot.
    #[error("{}: not a snapshot: {why}", file.display())]
    NotOne {
        /// The file.
        file: PathBuf,
        /// What is wrong.
        why: String,
    },
    /// It is of a later version of this program.
    #[error("{}: a snapshot of format {found}; this wyard reads format {FORMAT}", file.display())]
    Format {
        /// The file.
        file: PathBuf,
        /// Its format.
        found: u32,
    },
    /// The caller's terminals are not in it.
    #[error("{}: no terminal of {caller}; recorded are those of {}", file.display(), recorded.join(", "))]
    NoTerminal {
        /// The file.
        file: PathBuf,
        /// The caller.
        caller: &'static str,
        /// Those that are in it.
        recorded: Vec<String>,
    },
    /// Another file is in the way.
    #[error("{} exists, and is not a snapshot", .0.display())]
    InTheWay(PathBuf),
}

impl Blamed for SnapshotError {
    fn blame(&self) -> Blame {
        match self {
            Self::File(e) => e.blame(),
            Self::NotOne { .. } | Self::Format { .. } => Blame::Input,
            Self::InTheWay(_) | Self::NoFile(_) | Self::NoTerminal { .. } => Blame::Call,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::File(e) => e.hint(),
            Self::NotOne { .. } | Self::NoFile(_) => Some("to make one: wyard snapshot --into FILE".to_owned()),
            Self::NoTerminal { .. } => None,
            Self::Format { .. } => Some("use a later wyard".to_owned()),
            Self::InTheWay(_) => Some("name another file".to_owned()),
        }
    }
}

/// Reads a snapshot, packed or not.
///
/// # Errors
/// When it cannot be read, or is none.
pub fn read(file: &Path) -> Result<Snapshot, SnapshotError> {
    #[derive(Deserialize)]
    struct Numbered {
        snapshot: u32,
    }
    let text = match text(file) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Err(SnapshotError::NoFile(file.to_owned())),
        text => text.at("read", file)?,
    };
    let wrong = |why: serde_json::Error| SnapshotError::NotOne { file: file.to_owned(), why: why.to_string() };
    match serde_json::from_slice(&text) {
        Ok(snapshot) => {
            let snapshot: Snapshot = snapshot;
            match snapshot.snapshot {
                FORMAT => Ok(snapshot),
                found => Err(SnapshotError::Format { file: file.to_owned(), found }),
            }
        }
        // A later format may have other fields: that is told first.
        Err(why) => match serde_json::from_slice::<Numbered>(&text) {
            Ok(Numbered { snapshot: found }) if found != FORMAT => {
                Err(SnapshotError::Format { file: file.to_owned(), found })
            }
            _ => Err(wrong(why)),
        },
    }
}

fn text(file: &Path) -> io::Result<Vec<u8>> {
    let mut text = Vec::new();
    let open = File::open(file)?;
    open.take(MOST).read_to_end(&mut text)?;
    if text.starts_with(&[0x1f, 0x8b]) {
        let packed = std::mem::take(&mut text);
        GzDecoder::new(&packed[..]).take(MOST).read_to_end(&mut text)?;
    }
    Ok(text)
}

/// Writes a snapshot, packed where the file's name ends in `.gz`. An earlier snapshot is replaced, any other file is not.
///
/// # Errors
/// When something else is in the way, or the system refuses.
pub fn write(file: &Path, report: &Report<Snapshot>) -> Result<(), SnapshotError> {
    if file.is_dir() || (file.exists() && read(file).is_err()) {
        return Err(SnapshotError::InTheWay(file.to_owned()));
    }
    let file = &std::path::absolute(file).at("find", file)?;
    let mut text = serde_json::to_vec(report).map_err(io::Error::from).at("write", file)?;
    text.push(b'\n');
    if file.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("gz")) {
        let mut packer = GzEncoder::new(Vec::new(), Compression::best());
        packer.write_all(&text).at("write", file)?;
        text = packer.finish().at("write", file)?;
    }
    Ok(whole_file::replace(file, &text)?)
}
