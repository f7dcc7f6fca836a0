//! Why a tool could not be retired.

use crate::change::LedgerError;
use crate::error::{Blame, Blamed, FileError};
use crate::registration::RegistrationError;
use crate::session::{SessionError, meets_session};
use crate::yard::YardError;

/// Why a tool could not be retired.
#[derive(Debug, thiserror::Error)]
pub enum RetireError {
    #[error("{0} has no uninstaller on its card")]
    NoUninstaller(String),
    #[error("running an uninstaller needs confirmation, but there is no terminal")]
    NobodyToAsk,
    #[error("not run; nothing was changed")]
    NotAgreed,
    #[error(transparent)]
    Session(#[from] SessionError),
}

meets_session!(RetireError: FileError, YardError, LedgerError, RegistrationError);

impl Blamed for RetireError {
    fn blame(&self) -> Blame {
        match self {
            Self::NoUninstaller(_) | Self::NobodyToAsk | Self::NotAgreed => Blame::Call,
            Self::Session(e) => e.blame(),
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::NoUninstaller(name) => Some(format!("retire it without --uninstall: wyard retire {name}")),
            Self::NobodyToAsk => Some("pass --yes".to_owned()),
            Self::NotAgreed => None,
            Self::Session(e) => e.hint(),
        }
    }
}
