//! What is asked of `receive`, what is told on the way, and what came of it.

use std::path::PathBuf;

use serde::Serialize;

use super::{Summed, Trust};
use crate::archive::{Compression, Container, Format, LeftOut, Options};
use crate::check::{ToolCheck, Verdict};
use crate::checksum::Published;
use crate::finding::Finding;
use crate::layout::{Command, ToolName, Variable, Version};
use crate::progress::Progress;
use crate::store::{RegistryChange, StartupChange};
use crate::yard::{Requires, Scope};

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
}

/// Which variables point to a tool's home.
#[derive(Debug, Clone, Default)]
pub enum HomeVariables {
    /// `NAME_HOME`.
    #[default]
    Usual,
    /// None.
    None,
    /// These.
    These(Vec<Variable>),
}

/// A stage that has come to its end, for a line of progress.
#[derive(Debug)]
pub enum Stage<'a> {
    /// The file's format is known.
    Identified(&'a Format),
    /// Its checksum is known, and what it was compared with.
    Summed(&'a Summed),
    /// Name, version and layout are known.
    LaidOut(&'a ReceiveReport),
    /// The tool is in the stock, or would be.
    Unpacked(&'a ReceiveReport),
    /// The stores are changed, or would be.
    Registered(&'a ReceiveReport),
    /// Everything was checked.
    Checked(&'a ToolCheck),
}

/// Hears of stages and of progress within them.
pub trait Witness: Progress {
    /// A stage has ended.
    fn stage(&self, _stage: &Stage<'_>) {}
}

impl Witness for crate::progress::Silent {}

/// The report of `receive`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ReceiveReport {
    /// The format number.
    pub format: u32,
    /// `receive`.
    pub report: &'static str,
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// The file.
    pub file: PathBuf,
    /// The kind of archive.
    pub container: Container,
    /// How it is packed as a whole.
    pub compression: Compression,
    /// Its size in bytes.
    pub bytes: u64,
    /// Its SHA-256 in hex.
    pub sha256: String,
    /// Whether that was compared with a published one.
    pub compared: bool,
    /// The published checksums it was compared with.
    pub published: Vec<Published>,
    /// How many files it holds.
    pub files: usize,
    /// Their sizes together, in bytes.
    pub unpacked_bytes: u64,
    /// The tool.
    pub name: String,
    /// Its version.
    pub version: String,
    /// The system the names tell.
    pub os: Option<&'static str>,
    /// The processor the names tell.
    pub arch: Option<&'static str>,
    /// The wrapper folder that is removed; empty for none.
    pub wrapper: PathBuf,
    /// The tool's home.
    pub home: PathBuf,
    /// Whether a version that was there is replaced.
    pub replaced: bool,
    /// The command folders, absolute.
    pub command_folders: Vec<PathBuf>,
    /// The commands.
    pub commands: Vec<Command>,
    /// The variables that point to the home.
    pub home_variables: Vec<Variable>,
    /// Whose PATH.
    pub scope: Scope,
    /// The version that stays in service, where this one was only laid beside it.
    pub stays_beside: Option<String>,
    /// What happens to the startup files.
    pub startup_files: Vec<StartupChange>,
    /// What happens to values of the registry.
    pub registry_values: Vec<RegistryChange>,
    /// Entries that were left out because they could do harm.
    pub left_out: Vec<LeftOut>,
    /// The check at the end; null for a dry run.
    pub check: Option<ToolCheck>,
    /// Its verdict; null for a dry run.
    pub verdict: Option<Verdict>,
    /// The number of the change in the ledger; null for a dry run.
    pub change: Option<u64>,
    /// Whether everything was taken back, since the check was not good.
    pub taken_back: bool,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}
