//! What came of `retire`.

use serde::Serialize;

use crate::installer::Differences;
use crate::report::{ReportBody, ReportPath};
use crate::store::StoreChanges;

/// What came of `retire`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(untagged)]
pub enum Retired {
    /// A tool is out of the stock, or retired folders are gone.
    Tool(Box<RetiredTool>),
    /// Nothing yet: the uninstaller that would be run.
    Plan(UninstallPlan),
    Uninstalled(Box<UninstalledTool>),
}

impl ReportBody for Retired {
    fn name(&self) -> &'static str {
        match self {
            Self::Tool(_) => "retire",
            Self::Plan(_) => "uninstall-plan",
            Self::Uninstalled(_) => "uninstall",
        }
    }
}

/// What would be run to remove a tool.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct UninstallPlan {
    pub tool: String,
    pub command: Vec<ReportPath>,
}

/// A tool that is taken out of the stock, or the retired folders that are removed.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct RetiredTool {
    pub dry_run: bool,
    /// The number of the change; null where none was made.
    pub id: Option<u64>,
    /// The tool and its version, as in `NAME@VERSION`; none where only retired folders were removed.
    pub tool: Option<String>,
    /// Where its folder is kept.
    pub kept: Option<ReportPath>,
    /// Its folder, where that was adopted and stays in place.
    pub stays: Option<ReportPath>,
    /// The uninstaller on its card, which was not run.
    pub uninstaller: Option<Vec<ReportPath>>,
    #[serde(flatten)]
    pub stores: StoreChanges,
    /// Other versions of the tool that stay in the stock, none of them registered.
    pub others: Vec<String>,
    pub removed: Vec<ReportPath>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct UninstalledTool {
    /// What was done to the yard's records and the stores; null where the uninstaller left the tool's commands, which stays on
    /// record then.
    pub retired: Option<RetiredTool>,
    pub command: Vec<ReportPath>,
    /// How it ended, in words.
    pub ended: String,
    /// Whether it did its work, by its own account.
    pub well: bool,
    pub seen: Differences,
    /// Folders that it left in PATH, and that were taken out.
    pub dropped: Vec<ReportPath>,
}
