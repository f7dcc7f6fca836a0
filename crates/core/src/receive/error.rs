//! Why a tool could not be received.

use std::path::PathBuf;

use super::download::ChecksumError;
use super::undo::UndoError;
use crate::archive::ArchiveError;
use crate::check::CheckError;
use crate::checksum::PublishedError;
use crate::error::{Blame, Blamed, FileError};
use crate::layout::{LayoutError, NameError, ToolName, Version};
use crate::path_list::EntryError;
use crate::store::StorePlanError;
use crate::yard::{LedgerError, YardError};

/// Why a tool could not be received or registered.
#[derive(Debug, thiserror::Error)]
pub enum ReceiveError {
    /// The archive was refused.
    #[error(transparent)]
    Archive(#[from] ArchiveError),
    /// The checksum does not match.
    #[error(transparent)]
    Checksum(Box<ChecksumError>),
    /// A list of checksums.
    #[error(transparent)]
    Published(#[from] PublishedError),
    /// No layout was found.
    #[error(transparent)]
    Layout(#[from] LayoutError),
    /// Neither the file's name nor the wrapper's tells what is needed.
    #[error("{} does not tell the tool's {}", file.display(), missing(*name, *version))]
    NotGuessed {
        /// The file.
        file: PathBuf,
        /// Whether the name is missing.
        name: bool,
        /// Whether the version is missing.
        version: bool,
    },
    /// The usual home variable cannot be made of the name.
    #[error("no home variable can be made of the tool's name")]
    HomeVariable(#[source] NameError),
    /// The folder to unpack into is there.
    #[error("{} is there already; nothing was unpacked", .0.display())]
    FolderThere(PathBuf),
    /// There is no such folder.
    #[error("{} is not a folder that is there", .0.display())]
    NoFolder(PathBuf),
    /// The folder is the yard's.
    #[error("{} is in the yard already", .0.display())]
    InYard(PathBuf),
    /// The folder is on record.
    #[error("{} is on record already, as {name}@{version}", folder.display())]
    OnRecord {
        /// The folder.
        folder: PathBuf,
        /// The tool.
        name: ToolName,
        /// Its version.
        version: Version,
    },
    /// The version is in the yard already.
    #[error("{name}@{version} is in the yard already")]
    Present {
        /// The tool.
        name: ToolName,
        /// Its version.
        version: Version,
    },
    /// The version is on record from another place.
    #[error("{name}@{version} is on record already, from {}", home.display())]
    OnRecordElsewhere {
        /// The tool.
        name: ToolName,
        /// Its version.
        version: Version,
        /// Where it lies.
        home: PathBuf,
    },
    /// The yard lies where no PATH entry can point to.
    #[error("the yard can't be at {}", yard.display())]
    YardPlace {
        /// Its folder.
        yard: PathBuf,
        /// Why not.
        #[source]
        source: EntryError,
    },
    /// The yard.
    #[error(transparent)]
    Yard(#[from] YardError),
    /// The ledger.
    #[error(transparent)]
    Ledger(#[from] LedgerError),
    /// The stores.
    #[error(transparent)]
    Store(#[from] StorePlanError),
    /// The check was not good, and what was done could not be taken back.
    #[error("the check is not good, and what was done could not be taken back")]
    NotUndone {
        /// Why not.
        source: Box<UndoError>,
    },
    /// The check.
    #[error(transparent)]
    Check(#[from] CheckError),
    /// The user asked to stop when only the check was left.
    #[error("interrupted; {name} {version} is unpacked and registered, and not yet checked")]
    CheckInterrupted {
        /// The tool.
        name: ToolName,
        /// Its version.
        version: Version,
    },
    /// A file.
    #[error(transparent)]
    File(#[from] FileError),
}

fn missing(name: bool, version: bool) -> &'static str {
    match (name, version) {
        (true, true) => "name and version",
        (true, false) => "name",
        _ => "version",
    }
}

impl Blamed for ReceiveError {
    fn blame(&self) -> Blame {
        match self {
            Self::Archive(e) => e.blame(),
            Self::Checksum(_) | Self::Present { .. } => Blame::Input,
            Self::Layout(e) => e.blame(),
            Self::NoFolder(_) | Self::InYard(_) | Self::OnRecord { .. } | Self::OnRecordElsewhere { .. } => Blame::Call,
            Self::NotGuessed { .. } | Self::HomeVariable(_) | Self::YardPlace { .. } | Self::FolderThere(_) => {
                Blame::Call
            }
            Self::Published(e) => e.blame(),
            Self::Yard(e) => e.blame(),
            Self::Ledger(e) => e.blame(),
            Self::NotUndone { source } => source.blame(),
            Self::Store(e) => e.blame(),
            Self::Check(e) => e.blame(),
            Self::CheckInterrupted { .. } => Blame::Interrupted,
            Self::File(e) => e.blame(),
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Archive(e) => e.hint(),
            Self::Checksum(_) => {
                Some("download it again from the place that published the checksum; do not use this file".to_owned())
            }
            Self::Layout(e) => e.hint(),
            Self::OnRecordElsewhere { name, version, .. } => Some(format!(
                "retire that one first: 'wyard retire {name}@{version}'; or give this one another --version"
            )),
            Self::NotGuessed { name, version, .. } => Some(match (name, version) {
                (true, true) => "give them with --name NAME --version VERSION".to_owned(),
                (true, false) => "give it with --name NAME".to_owned(),
                _ => "give it with --version VERSION".to_owned(),
            }),
            Self::HomeVariable(_) => Some("give one with --home-variable X, or use --no-home-variable".to_owned()),
            Self::Present { name, version } => {
                Some(format!("'wyard check {name}@{version}' shows how it is; --replace puts this file in its place"))
            }
            Self::YardPlace { .. } => Some("choose another folder with --yard DIR".to_owned()),
            Self::NoFolder(_) => Some("'wyard adopt --search' looks for folders that hold a tool".to_owned()),
            Self::OnRecord { name, .. } => Some(format!("'wyard check {name}' shows how it is")),
            Self::InYard(_) => Some("'wyard stock' lists what the yard holds".to_owned()),
            Self::FolderThere(_) => Some("name a folder that does not exist yet".to_owned()),
            Self::Published(e) => e.hint(),
            Self::Yard(e) => e.hint(),
            Self::Ledger(e) => e.hint(),
            Self::NotUndone { source } => source.hint(),
            Self::Store(e) => e.hint(),
            Self::Check(_) => None,
            Self::CheckInterrupted { name, .. } => Some(format!("'wyard check {name}' does it")),
            Self::File(e) => e.hint(),
        }
    }
}
