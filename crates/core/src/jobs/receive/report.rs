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
use crate::store::StoreChanges;

#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(untagged)]
pub enum Received {
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

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ReceivedTool {
    pub dry_run: bool,
    #[serde(flatten)]
    pub archive: ReceivedArchive,
    #[serde(flatten)]
    pub tool: PlacedTool,
    #[serde(flatten)]
    pub stores: StoreChanges,
    pub prepared: Vec<PreparedReport>,
    pub left_out: Vec<LeftOut>,
    /// The check at the end; null for a dry run.
    pub check: Option<ToolCheck>,
    /// The number of the change in the ledger; null for a dry run.
    pub change: Option<u64>,
    pub taken_back: bool,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ReceivedArchive {
    pub file: ReportPath,
    /// The address it was fetched from; null where it was there.
    pub address: Option<String>,
    pub container: Container,
    pub compression: Compression,
    pub bytes: u64,
    pub sha256: String,
    pub compared: bool,
    pub published: Vec<Published>,
    pub files: usize,
    pub unpacked_bytes: u64,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct PlacedTool {
    pub name: String,
    pub version: String,
    pub os: Option<&'static str>,
    pub arch: Option<&'static str>,
    /// The wrapper folder that is removed; empty for none.
    pub wrapper: ReportPath,
    pub home: ReportPath,
    pub replaced: bool,
    /// The command folders, absolute.
    pub command_folders: Vec<ReportPath>,
    pub commands: Vec<Command>,
    pub home_variables: Vec<Variable>,
    pub scope: Scope,
    /// The version that stays in service, where this one was only laid beside it.
    pub stays_beside: Option<String>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct InstalledTool {
    pub plan: InstallPlan,
    /// Its exit status; null where it did not end by itself.
    pub status: Option<i32>,
    pub ended: String,
    /// Whether it did its work, by its own account.
    pub well: bool,
    pub seen: Differences,
    /// What was done with what it left; null where there was no tool.
    pub adopted: Option<Report<AdoptedFolder>>,
    /// What it left for us to do: whether its command folders were still to be registered.
    pub left_undone: Option<LeftUndone>,
    pub taken_back: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LeftUndone {
    /// It changed stores, but not so that every new terminal has its commands.
    NotInEveryTerminal,
    NotRegistered,
}
