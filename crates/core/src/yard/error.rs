//! Why the yard could not be read or written.

use std::path::PathBuf;

use crate::change::LedgerError;
use crate::error::{FileError, classified};
use crate::naming::ToolName;

pub(super) const FORMAT: u32 = 1;

const OTHER_YARD: &str = "choose a yard on another disk with --yard DIR";

#[derive(Debug, thiserror::Error)]
pub enum YardError {
    #[error(transparent)]
    File(#[from] FileError),
    #[error(transparent)]
    Ledger(#[from] LedgerError),
    #[error("the card {} names {}, which is outside the tool", file.display(), place.display())]
    Outside { file: PathBuf, place: PathBuf },
    #[error("cannot read the record {}", file.display())]
    Record {
        file: PathBuf,
        #[source]
        source: toml::de::Error,
    },
    #[error("the record {} has format {found}; this version of wyard reads format {}", file.display(), FORMAT)]
    Format { file: PathBuf, found: u32 },
    /// A record cannot be written, as with a name that is not Unicode.
    #[error("cannot write a record")]
    Write(#[source] toml::ser::Error),
    #[error(transparent)]
    CannotLock(FileError),
    #[error("{holder} is still changing the yard {} after {seconds} s", yard.display())]
    Locked { yard: PathBuf, holder: String, seconds: u64 },
    /// What is for every user is changed with an administrator's rights only.
    #[error("changes for all users require administrator rights; nothing was changed")]
    NotSuperuser { command: String },
    #[error("{} is owned by another user; you are root; nothing was changed", home.display())]
    ForeignHome { home: PathBuf },
    #[error("{} is owned or writable by another user; nothing was changed", folder.display())]
    Untrusted { folder: PathBuf },
    /// The yard was made somewhere else: its records are about that place.
    #[error("this yard was copied or moved from {}; nothing was changed", from.display())]
    Moved { from: PathBuf },
    #[error("no tool called \"{name}\" in the yard")]
    NoTool {
        name: String,
        /// What may have been meant, as a question.
        meant: Option<String>,
    },
    #[error("{name} has no version \"{version}\" in the yard; it has {held}")]
    NoVersion { name: ToolName, version: String, held: String },
}

classified!(YardError {
    Self::NoTool { meant, .. } => Call, meant.clone().unwrap_or_else(|| "to list the tools: wyard stock".to_owned());
    Self::Format { .. } => Machine, "use the newer wyard that wrote it";
    Self::Record { .. } | Self::Outside { .. } => Machine, "correct that file, or remove it and receive the tool again";
    // flock(2): ENOLCK, and EOPNOTSUPP or ENOSYS of file systems that know no locks.
    Self::CannotLock(e) =>
        e.class(), e.hint().unwrap_or_else(|| format!("some network disks do not support file locks: {OTHER_YARD}"));
    Self::Locked { .. } => Machine, "wait for it to finish, then try again";
    Self::NotSuperuser { command } => Machine, format!("run it as an administrator: {command}");
    Self::ForeignHome { .. } => Machine, "run it as that user, or use --scope system";
    Self::Untrusted { .. } => Machine, "choose a yard in your own folder with --yard DIR";
    Self::Moved { .. } =>
        Machine, "run 'wyard stock --moved' to start a new history here, then register the tools you use";
    Self::NoVersion { .. } => Call;
    Self::Write(_) => Machine;
} from File, Ledger);
