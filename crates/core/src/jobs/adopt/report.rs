//! What is asked of `adopt`, and what comes of it.

use std::path::PathBuf;

use serde::Serialize;

use crate::check::ToolCheck;
use crate::layout::{Command, HomeVariables};
use crate::naming::{ToolName, Variable, Version};
use crate::report::{ReportBody, ReportPath, Verdict};
use crate::scope::Scope;
use crate::store::{RegistryChange, StartupChange};
use crate::yard::{Source, StartupText};

#[derive(Debug, Clone, Default)]
pub struct AdoptRequest {
    pub folder: PathBuf,
    /// The tool's name, where it is not to be guessed.
    pub name: Option<ToolName>,
    /// Its version, where it is not to be guessed.
    pub version: Option<Version>,
    /// Its command folders, where they are not to be found; absolute, or relative to the folder.
    pub command_folders: Vec<PathBuf>,
    pub home_variables: HomeVariables,
    pub scope: Scope,
    /// Whether the folder is moved into the yard.
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
    /// How its programs are removed.
    pub uninstaller: Option<Vec<ReportPath>>,
    /// What the installer put into startup files.
    pub added: Vec<StartupText>,
    pub source: Source,
}

/// A folder that was adopted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AdoptedFolder {
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// The tool.
    pub name: String,
    /// Its version.
    pub version: String,
    /// Its home: the folder, or its new place in the yard.
    pub home: ReportPath,
    /// Whether it was moved there.
    pub moved: bool,
    /// The command folders, absolute.
    pub command_folders: Vec<ReportPath>,
    /// The commands.
    pub commands: Vec<Command>,
    /// The variables that point to the home.
    pub home_variables: Vec<Variable>,
    /// Whether new terminals had all of it already, so that nothing was registered.
    pub was_registered: bool,
    /// The version that was on record here, and is replaced by this; null for none.
    pub renewed: Option<String>,
    /// Whose PATH.
    pub scope: Scope,
    /// What happens to the startup files.
    pub startup_files: Vec<StartupChange>,
    /// What happens to values of the registry.
    pub registry_values: Vec<RegistryChange>,
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

/// Tools that were found and are not on record.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FoundTools {
    /// The tools.
    pub found: Vec<FoundTool>,
    /// The places that were looked through.
    pub places: Vec<ReportPath>,
}

impl ReportBody for FoundTools {
    fn name(&self) -> &'static str {
        "adopt-search"
    }
}

/// A folder that looks like a tool.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FoundTool {
    /// Its home.
    pub folder: ReportPath,
    /// The name that its folder tells.
    pub name: Option<String>,
    /// The version that its folder tells.
    pub version: Option<String>,
    /// Its commands.
    pub commands: Vec<String>,
    /// Whether a command folder of it is in a new terminal's PATH.
    pub in_path: bool,
}
