//! Why a folder could not be adopted.

use std::path::PathBuf;

use crate::change::LedgerError;
use crate::check::CheckError;
use crate::error::{Blame, Blamed, FileError};
use crate::jobs::tool_names::NotGuessed;
use crate::layout::InPlaceError;
use crate::naming::{NameError, ToolName, Version};
use crate::path_list::EntryError;
use crate::registration::RegistrationError;
use crate::session::{SessionError, meets_session};
use crate::yard::YardError;

/// Why a folder could not be adopted.
#[derive(Debug, thiserror::Error)]
pub enum AdoptError {
    #[error(transparent)]
    InPlace(#[from] InPlaceError),
    #[error(transparent)]
    NotGuessed(#[from] NotGuessed),
    /// The usual home variable cannot be made of the name.
    #[error("cannot derive a home variable from the tool's name")]
    HomeVariable(#[source] NameError),
    #[error("{} is already in the yard", .0.display())]
    InYard(PathBuf),
    #[error("{} cannot be in PATH", folder.display())]
    Entry {
        folder: PathBuf,
        #[source]
        source: EntryError,
    },
    #[error("{} is already recorded as {name}@{version}", folder.display())]
    OnRecord {
        folder: PathBuf,
        name: ToolName,
        version: Version,
    },
    #[error("{name}@{version} is already recorded from {}", home.display())]
    OnRecordElsewhere {
        name: ToolName,
        version: Version,
        home: PathBuf,
    },
    #[error(transparent)]
    Check(#[from] CheckError),
    #[error(transparent)]
    Session(#[from] SessionError),
}

meets_session!(AdoptError: FileError, YardError, LedgerError, RegistrationError);

impl Blamed for AdoptError {
    fn blame(&self) -> Blame {
        match self {
            Self::InPlace(e) => e.blame(),
            Self::NotGuessed(e) => e.blame(),
            Self::HomeVariable(_) | Self::InYard(_) | Self::Entry { .. } => Blame::Call,
            Self::OnRecord { .. } | Self::OnRecordElsewhere { .. } => Blame::Call,
            Self::Check(e) => e.blame(),
            Self::Session(e) => e.blame(),
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::InPlace(e) => e.hint(),
            Self::NotGuessed(e) => e.hint(),
            Self::HomeVariable(_) => Some("use --home-variable X or --no-home-variable".to_owned()),
            Self::InYard(_) => Some("to list the tools: wyard stock".to_owned()),
            Self::Entry { .. } => Some("move the folder to another place first, or use --move".to_owned()),
            Self::OnRecord { name, .. } => Some(format!("to check it: wyard check {name}")),
            Self::OnRecordElsewhere { name, version, .. } => {
                Some(format!("retire that one first: wyard retire {name}@{version}; or use another --version"))
            }
            Self::Check(e) => e.hint(),
            Self::Session(e) => e.hint(),
        }
    }
}
