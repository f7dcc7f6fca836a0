//! Why an archive was refused.

use std::io;
use std::path::{Path, PathBuf};

use super::member::MemberError;
use crate::error::{FileError, classified};

/// Why an archive was refused or could not be read. Entry names are lossy text, for people.
#[derive(Debug, thiserror::Error)]
pub enum ArchiveError {
    #[error("no such file: {}", .0.display())]
    NoFile(PathBuf),
    #[error("{} is a folder", .0.display())]
    IsFolder(PathBuf),
    #[error("{} is not a supported archive; it looks like {looks_like}", file.display())]
    NotAnArchive {
        file: PathBuf,
        /// What it looks like, as in "it looks like …".
        looks_like: String,
    },
    #[error("{} is damaged or truncated", file.display())]
    Damaged {
        file: PathBuf,
        #[source]
        source: io::Error,
    },
    #[error("{} is truncated: it has {bytes} bytes, {}", file.display(), in_words(*expected))]
    CutOff {
        file: PathBuf,
        bytes: u64,
        /// How long it should be, where its beginning tells.
        expected: Option<u64>,
    },
    #[error("the entry \"{entry}\" was refused")]
    Member {
        entry: String,
        #[source]
        source: MemberError,
    },
    #[error("the entry \"{0}\" is a device, pipe or other special file")]
    Special(String),
    #[error("the link \"{entry}\" points outside the archive, to \"{target}\"")]
    LinkOutside { entry: String, target: String },
    #[error("the entry \"{entry}\" would be written through the link \"{link}\"")]
    ThroughLink { entry: String, link: String },
    /// An entry is both file and folder, or twice in an archive where neither can count.
    #[error("the entry \"{0}\" is in the archive twice, as different kinds")]
    Twice(String),
    /// A zip names the same entry twice, and readers differ in which of them they take.
    #[error("the entry \"{entry}\" is in the archive twice with different contents: {one} and {other}")]
    TwoContents {
        entry: String,
        /// The first, by its place and size.
        one: String,
        other: String,
    },
    /// A zip says two things of an entry, and readers differ in which of them they go by.
    #[error("the entry \"{entry}\" has a different {what} in its local header than in the zip directory")]
    TwoHeaders { entry: String, what: &'static str },
    #[error("{} contains two archives, one after the other; programs disagree on which to unpack", .0.display())]
    InFront(PathBuf),
    #[error("\"{one}\" and \"{other}\" differ only in case: on this system they are the same file")]
    CaseOnly { one: String, other: String },
    /// A link to a folder that would have to become a copy, and holds itself.
    #[error(
        "the link \"{entry}\" points to a folder that contains it: it cannot be copied, and links cannot be created here"
    )]
    Endless { entry: String },
    /// A hard link names a file that is not in the archive before it.
    #[error("the hard link \"{entry}\" refers to \"{target}\", which is not an earlier file of the archive")]
    HardLink { entry: String, target: String },
    #[error("the entry \"{0}\" is encrypted")]
    Encrypted(String),
    /// An entry is packed with a method this version cannot read.
    #[error("the entry \"{entry}\" uses an unsupported compression method: {method}")]
    Method { entry: String, method: String },
    #[error("the archive has {0}: limit exceeded")]
    TooMuch(String),
    #[error("the entry \"{entry}\" has {seen} bytes; the archive states {said}")]
    Length { entry: String, seen: u64, said: u64 },
    #[error("the entries \"{0}\" and \"{1}\" overlap in the archive")]
    Overlap(String, String),
    #[error("{} has {free} bytes free; the archive needs {needed}", folder.display())]
    NoRoom { folder: PathBuf, free: u64, needed: u64 },
    #[error("{} is an empty archive", .0.display())]
    Empty(PathBuf),
    #[error("interrupted; unpacked files were removed")]
    Interrupted,
    #[error(transparent)]
    File(#[from] FileError),
}

fn in_words(bytes: Option<u64>) -> String {
    match bytes {
        Some(bytes) => format!("should have {bytes}"),
        None => "the end of the file is missing".to_owned(),
    }
}

impl ArchiveError {
    pub(super) fn not(file: &Path, looks_like: &str) -> Self {
        Self::NotAnArchive { file: file.to_owned(), looks_like: looks_like.to_owned() }
    }

    /// The same, told as a missing end where that is what the decoder of a stream of `bytes` bytes met.
    pub(super) fn of_stream(self, bytes: u64) -> Self {
        match self {
            Self::Damaged { file, source } if source.kind() == io::ErrorKind::UnexpectedEof => {
                Self::CutOff { file, bytes, expected: None }
            }
            other => other,
        }
    }

    /// Whether the fault is one entry's, so that the rest could be unpacked without it.
    pub(super) fn is_hazard(&self) -> bool {
        matches!(
            self,
            Self::Member { .. }
                | Self::Special(_)
                | Self::LinkOutside { .. }
                | Self::ThroughLink { .. }
                | Self::Twice(_)
                | Self::CaseOnly { .. }
                | Self::HardLink { .. }
        )
    }
}

classified!(ArchiveError {
    Self::IsFolder(_) => Input, "to record a tool that is already unpacked: wyard adopt FOLDER";
    Self::NotAnArchive { .. } => Input, "download the tool's archive or program, and use that file";
    Self::Damaged { .. } | Self::CutOff { .. } => Input, "download it again, and compare the sizes";
    Self::TooMuch(_) => Input, "if you expected this, raise the limits with --limit TIMES";
    Self::NoRoom { .. } => Machine, "free some space, or choose another disk";
    Self::Endless { .. } =>
        Input, "turn on Windows' developer mode, or use an elevated terminal, so that links can be created";
    Self::Encrypted(_) => Input, "unpack it by hand, then pack it again without a password";
    Self::Method { .. } => Input, "unpack it with another program, then pack it again as zip or tar";
    Self::Length { .. } | Self::Overlap(..) | Self::TwoContents { .. } | Self::TwoHeaders { .. } |
    Self::InFront(_) => Input, "download it again; if that does not help, ask its author";
    Self::Empty(_) => Input, "download the file that contains the programs";
    Self::Member { .. } | Self::CaseOnly { .. } | Self::Special(_) | Self::Twice(_) | Self::HardLink { .. } |
    Self::LinkOutside { .. } | Self::ThroughLink { .. } =>
        Input, "nothing was unpacked; ask its author, or skip such entries with --leave-out-hazards";
    Self::Interrupted => Interrupted;
    Self::NoFile(_) => Call;
    _ => Input;
} from File);
