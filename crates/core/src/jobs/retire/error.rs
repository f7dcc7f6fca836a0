//! Why a tool could not be retired.

use crate::error::classified;

#[derive(Debug, thiserror::Error)]
pub enum RetireError {
    #[error("{0} has no uninstaller on its card")]
    NoUninstaller(String),
    #[error("running an uninstaller needs confirmation, but there is no terminal")]
    NobodyToAsk,
    #[error("not run; nothing was changed")]
    NotAgreed,
}

classified!(RetireError {
    Self::NoUninstaller(name) => Call, format!("retire it without --uninstall: wyard retire {name}");
    Self::NobodyToAsk => Call, "pass --yes";
    Self::NotAgreed => Call;
});
