//! Why the yard could not be read or written.

use std::path::PathBuf;

use crate::change::LedgerError;
use crate::error::{Blame, Blamed, FileError};
use crate::naming::ToolName;

/// The format number of records that this version reads and writes.
pub(super) const FORMAT: u32 = 1;

/// Why the yard could not be read or written.
#[derive(Debug, thiserror::Error)]
pub enum YardError {
    /// A file or folder of it.
    #[error(transparent)]
    File(#[from] FileError),
    /// The ledger.
    #[error(transparent)]
    Ledger(#[from] LedgerError),
    /// A card names a place outside of its tool.
    #[error("the card {} names {}, which is outside the tool", file.display(), place.display())]
    Outside {
        /// The file.
        file: PathBuf,
        /// The place.
        place: PathBuf,
    },
    /// A record cannot be understood.
    #[error("cannot read the record {}", file.display())]
    Record {
        /// The file.
        file: PathBuf,
        /// What is wrong with it.
        #[source]
        source: toml::de::Error,
    },
    /// A record of a later version of this program.
    #[error("the record {} has format {found}; this version of wyard reads format {}", file.display(), FORMAT)]
    Format {
        /// The file.
        file: PathBuf,
        /// Its format number.
        found: u32,
    },
    /// A record cannot be written, as with a name that is not Unicode.
    #[error("cannot write a record")]
    Write(#[source] toml::ser::Error),
    /// Somebody else is writing.
    #[error("{holder} is still changing the yard {} after {seconds} s", yard.display())]
    Locked {
        /// The yard.
        yard: PathBuf,
        /// Who holds it.
        holder: String,
        /// How long we waited.
        seconds: u64,
    },
    /// What is for every user is changed with an administrator's rights only.
    #[error("changes for all users require administrator rights; nothing was changed")]
    NotSuperuser {
        /// The call to repeat.
        command: String,
    },
    /// The superuser works in somebody else's home.
    #[error("{} is owned by another user; you are root; nothing was changed", home.display())]
    ForeignHome {
        /// The home folder.
        home: PathBuf,
    },
    /// Another user could put something else in the yard's place.
    #[error("{} is owned or writable by another user; nothing was changed", folder.display())]
    Untrusted {
        /// The folder.
        folder: PathBuf,
    },
    /// The yard was made somewhere else: its records are about that place.
    #[error("this yard was copied or moved from {}; nothing was changed", from.display())]
    Moved {
        /// Where it was made.
        from: PathBuf,
    },
    /// No tool of this name.
    #[error("no tool called \"{name}\" in the yard")]
    NoTool {
        /// What was asked for.
        name: String,
        /// What may have been meant, as a question.
        meant: Option<String>,
    },
    /// The tool, but not this version.
    #[error("{name} has no version \"{version}\" in the yard; it has {held}")]
    NoVersion {
        /// The tool.
        name: ToolName,
        /// The version asked for.
        version: String,
        /// The versions there are.
        held: String,
    },
}

impl Blamed for YardError {
    fn blame(&self) -> Blame {
        match self {
            Self::File(e) => e.blame(),
            Self::Ledger(e) => e.blame(),
            Self::NoTool { .. } | Self::NoVersion { .. } => Blame::Call,
            Self::Record { .. }
            | Self::Outside { .. }
            | Self::Format { .. }
            | Self::Write(_)
            | Self::Locked { .. }
            | Self::NotSuperuser { .. }
            | Self::ForeignHome { .. }
            | Self::Untrusted { .. }
            | Self::Moved { .. } => Blame::Machine,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::File(e) => e.hint(),
            Self::Ledger(e) => e.hint(),
            Self::NoTool { meant, .. } => {
                Some(meant.clone().unwrap_or_else(|| "to list the tools: wyard stock".to_owned()))
            }
            Self::Format { .. } => Some("use the newer wyard that wrote it".to_owned()),
            Self::Record { .. } | Self::Outside { .. } => {
                Some("correct that file, or remove it and receive the tool again".to_owned())
            }
            Self::Locked { .. } => Some("wait for it to finish, then try again".to_owned()),
            Self::NotSuperuser { command } => Some(format!("run it as an administrator: {command}")),
            Self::ForeignHome { .. } => Some("run it as that user, or use --scope system".to_owned()),
            Self::Untrusted { .. } => Some("choose a yard in your own folder with --yard DIR".to_owned()),
            Self::Moved { .. } => Some(
                "run 'wyard stock --moved' to start a new history here, then register the tools you use".to_owned(),
            ),
            Self::NoVersion { .. } | Self::Write(_) => None,
        }
    }
}
