//! What is asked of `adopt`, and what comes of it.

use std::path::PathBuf;

use serde::Serialize;

use crate::check::ToolCheck;
use crate::layout::{Command, HomeVariables};
use crate::naming::{ToolName, Variable, Version};
use crate::report::{ReportBody, ReportPath, Verdict, report_body};
use crate::scope::Scope;
use crate::store::StoreChanges;
use crate::yard::{Source, StartupText};

#[derive(Debug, Clone, Default)]
pub struct AdoptRequest {
    pub folder: PathBuf,
    pub name: Option<ToolName>,
    pub version: Option<Version>,
    /// Its command folders, where they are not to be found; absolute, or relative to the folder.
    pub command_folders: Vec<PathBuf>,
    pub home_variables: HomeVariables,
    pub scope: Scope,
    pub move_in: bool,
    /// Whether others may be able to put programs into it.
    pub trusts: bool,
    pub dry_run: bool,
    /// What is known where an installer has just brought the tool.
    pub installed: Option<Installed>,
}

/// A tool that an installer has just brought. One that is on record in the same folder is taken as replaced by it.
#[derive(Debug, Clone)]
pub struct Installed {
    /// The only commands in the folder that are the tool's: others share it.
    pub only: Option<Vec<String>>,
    pub uninstaller: Option<Vec<ReportPath>>,
    /// What the installer put into startup files.
    pub added: Vec<StartupText>,
    pub source: Source,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct AdoptedFolder {
    pub dry_run: bool,
    pub name: String,
    pub version: String,
    /// Its home: the folder, or its new place in the yard.
    pub home: ReportPath,
    /// Whether it was moved there.
    pub moved: bool,
    /// The command folders, absolute.
    pub command_folders: Vec<ReportPath>,
    pub commands: Vec<Command>,
    pub home_variables: Vec<Variable>,
    /// Whether new terminals had all of it already, so that nothing was registered.
    pub was_registered: bool,
    /// The version that was on record here, and is replaced by this; null for none.
    pub renewed: Option<String>,
    pub scope: Scope,
    #[serde(flatten)]
    pub stores: StoreChanges,
    /// The check at the end; null for a dry run.
    pub check: Option<ToolCheck>,
    /// The number of the change; null for a dry run.
    pub change: Option<u64>,
}

impl ReportBody for AdoptedFolder {
    fn name(&self) -> &'static str {
        "adopt"
    }

    fn verdict(&self) -> Option<Verdict> {
        self.check.as_ref().map(|check| check.verdict)
    }
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct FoundTools {
    pub found: Vec<FoundTool>,
    pub places: Vec<ReportPath>,
}

report_body!(FoundTools = "adopt-search");

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct FoundTool {
    pub folder: ReportPath,
    pub name: Option<String>,
    pub version: Option<String>,
    pub commands: Vec<String>,
    /// Whether a command folder of it is in a new terminal's PATH.
    pub in_path: bool,
}
