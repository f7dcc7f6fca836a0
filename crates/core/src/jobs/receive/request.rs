//! What is asked of `receive`.

use std::ffi::OsString;
use std::path::PathBuf;
use std::time::Duration;

use crate::archive::Options;
use crate::checksum::Trust;
use crate::layout::HomeVariables;
use crate::naming::{ToolName, Version};
use crate::scope::Scope;
use crate::yard::Requires;

/// What the user asks for.
#[derive(Debug, Clone, Default)]
pub struct ReceiveRequest {
    /// The downloaded file.
    pub file: PathBuf,
    /// What the publisher says of it.
    pub trust: Trust,
    /// How the archive is to be read.
    pub options: Options,
    /// The tool's name, where it is not to be guessed.
    pub name: Option<ToolName>,
    /// Its version, where it is not to be guessed.
    pub version: Option<Version>,
    /// Its command folders, where they are not to be found.
    pub command_folders: Vec<PathBuf>,
    /// Its home variables.
    pub home_variables: HomeVariables,
    /// Whose PATH.
    pub scope: Scope,
    /// What it needs besides itself.
    pub requires: Requires,
    /// Whether programs for other machines are taken.
    pub foreign: bool,
    /// Whether a version that is there already is replaced.
    pub replace: bool,
    /// Whether a version that is in service stays so.
    pub stay: bool,
    /// Whether everything is taken back when the check is not good.
    pub or_undo: bool,
    /// Whether only the plan is wanted.
    pub dry_run: bool,
    /// How an installer is run.
    pub installer: InstallerOptions,
}

/// How an installer is run.
#[derive(Debug, Clone, Default)]
pub struct InstallerOptions {
    /// Whether it is run without asking.
    pub agreed: bool,
    /// The folder to install into.
    pub folder: Option<PathBuf>,
    /// Whether a Debian package is handed to the system.
    pub system_install: bool,
    /// More places to be watched.
    pub watch: Vec<PathBuf>,
    /// How long it may take.
    pub limit: Duration,
    /// Arguments that are passed on.
    pub arguments: Vec<OsString>,
}
