//! Why a tool could not be retired.

use crate::change::LedgerError;
use crate::error::{FileError, classified};
use crate::registration::RegistrationError;
use crate::session::{SessionError, meets_session};
use crate::yard::YardError;

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

classified!(RetireError {
    Self::NoUninstaller(name) => Call, format!("retire it without --uninstall: wyard retire {name}");
    Self::NobodyToAsk => Call, "pass --yes";
    Self::NotAgreed => Call;
} from Session);
