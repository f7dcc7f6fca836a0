//! What came of `receive`.

use serde::Serialize;

use crate::archive::{Compression, Container, LeftOut};
use crate::check::ToolCheck;
use crate::checksum::Published;
use crate::installer::{Differences, InstallPlan};
use crate::jobs::adopt::AdoptedFolder;
use crate::jobs::preparing::PreparedReport;
use crate::layout::Command;
use crate::naming::Variable;
use crate::report::{Report, ReportBody, ReportPath, Verdict};
use crate::scope::Scope;
use crate::store::{RegistryChange, StartupChange};

#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(untagged)]
pub enum Received {
    /// A tool from an archive.
    Tool(Box<ReceivedTool>),
    /// Nothing yet: what would be run of an installer.
    Plan(Box<InstallPlan>),
    Installed(Box<InstalledTool>),
}

impl ReportBody for Received {
    fn name(&self) -> &'static str {
        match self {
            Self::Tool(_) => "receive",
            Self::Plan(plan) => plan.name(),
            Self::Installed(_) => "install",
        }
    }

    fn verdict(&self) -> Option<Verdict> {
        match self {
            Self::Tool(tool) => tool.check.as_ref().map(|check| check.verdict),
            Self::Plan(_) => None,
            Self::Installed(installed) => installed.adopted.as_ref().and_then(Report::verdict),
        }
    }
}

/// A tool that was received from an archive.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ReceivedTool {
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// The file.
    pub file: ReportPath,
    /// The address it was fetched from; null where it was there.
    pub address: Option<String>,
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
    pub wrapper: ReportPath,
    /// The tool's home.
    pub home: ReportPath,
    /// Whether a version that was there is replaced.
    pub replaced: bool,
    /// The command folders, absolute.
    pub command_folders: Vec<ReportPath>,
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
    /// The files that are prepared.
    pub prepared: Vec<PreparedReport>,
    /// Entries that were left out because they could do harm.
    pub left_out: Vec<LeftOut>,
    /// The check at the end; null for a dry run.
    pub check: Option<ToolCheck>,
    /// The number of the change in the ledger; null for a dry run.
    pub change: Option<u64>,
    /// Whether everything was taken back, since the check was not good.
    pub taken_back: bool,
}

/// What an installer brought.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct InstalledTool {
    /// What was run.
    pub plan: InstallPlan,
    /// Its exit status; null where it did not end by itself.
    pub status: Option<i32>,
    /// That in words.
    pub ended: String,
    /// Whether it did its work, by its own account.
    pub well: bool,
    /// What changed while it ran.
    pub seen: Differences,
    /// What was done with what it left; null where there was no tool.
    pub adopted: Option<Report<AdoptedFolder>>,
    /// What it left for us to do: whether its command folders were still to be registered.
    pub left_undone: Option<LeftUndone>,
    /// Whether the stores were brought back.
    pub taken_back: bool,
}

/// What an installer left for us to do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum LeftUndone {
    /// It changed stores, but not so that every new terminal has its commands.
    NotInEveryTerminal,
    /// It registered its command folders nowhere.
    NotRegistered,
}
