//! Why an installer could not be looked into or run.

use std::path::PathBuf;

use super::facts::InstallerKind;
use crate::error::classified;

#[derive(Debug, thiserror::Error)]
pub enum InstallError {
    #[error("{} is not an installer", .0.display())]
    None(PathBuf),
    #[error("{} is a {}, which cannot run on this system", file.display(), kind.describe())]
    OtherSystem { file: PathBuf, kind: InstallerKind },
    /// An installer writes where it likes, and on Windows into the real registry.
    #[error("{} cannot be rehearsed: installers write to the real registry; nothing was run", .0.display())]
    Sandbox(PathBuf),
    #[error("{} has no known option for the installation folder", .0.display())]
    NoFolderOption(PathBuf),
    #[error("{} installs for all users, which requires administrator rights; nothing was run", file.display())]
    NotElevated { file: PathBuf, command: String },
    #[error("interrupted; the installer was ended, but its changes so far remain: see {}", .0.display())]
    Interrupted(PathBuf),
}

classified!(InstallError {
    Self::NoFolderOption(_) => Call, "pass its own option after --";
    Self::NotElevated { command, .. } => Machine, format!("run it elevated: {command}");
    Self::OtherSystem { .. } => Input, "download the one for this system";
    Self::Sandbox(_) => Call, "to see what it would do: wyard inspect";
    Self::None(_) => Input;
    Self::Interrupted(_) => Interrupted;
});
