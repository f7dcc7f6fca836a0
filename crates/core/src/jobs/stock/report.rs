//! What the yard holds.

use serde::Serialize;

use crate::naming::Variable;
use crate::report::{ReportBody, ReportPath};
use crate::resolve::Kind;
use crate::scope::Scope;

/// What came of `stock`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(untagged)]
pub enum StockReport {
    Held(ToolStock),
    Mended(MendedStock),
}

impl ReportBody for StockReport {
    fn name(&self) -> &'static str {
        match self {
            Self::Held(_) => "stock",
            Self::Mended(_) => "mend",
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ToolStock {
    pub yard: ReportPath,
    /// The tools, by name and then by version, older ones first.
    pub tools: Vec<StockTool>,
    /// Copies in PATH that are not the yard's.
    pub elsewhere: Vec<ForeignCopy>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct StockTool {
    pub name: String,
    pub version: String,
    /// Whether `NAME` alone means this version.
    pub in_service: bool,
    /// Whose PATH it is registered in; null for none.
    pub registered: Option<Scope>,
    /// What new terminals run; null where it is not in service or nobody was asked.
    pub new_terminals: Option<NewTerminals>,
    pub home_variables: Vec<Variable>,
    pub home: ReportPath,
    pub commands: Vec<String>,
    /// When it was received (RFC 3339).
    pub received: String,
}

/// What new terminals make of the commands of a tool in service.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct NewTerminals {
    /// Whether every command is this one's in every new terminal.
    pub this: bool,
    /// The commands that somewhere are not.
    pub others: Vec<OtherMeaning>,
}

/// A command of a tool that means something else in a new terminal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct OtherMeaning {
    pub command: String,
    pub kind: Kind,
    /// The file that runs; null where none does.
    pub file: Option<ReportPath>,
}

/// A copy of a tool's first command that lies in PATH and is not the yard's.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ForeignCopy {
    pub name: String,
    pub path: ReportPath,
    /// The version it states; null for none.
    pub version: Option<String>,
}

/// What cards and folders disagreed about.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct MendedStock {
    pub dry_run: bool,
    /// Cards that were removed: their folders are not there.
    pub cards: Vec<ReportPath>,
    /// Folders that were set aside: they have no card.
    pub folders: Vec<ReportPath>,
    pub empty: usize,
    /// The number of the change; null where nothing to do.
    pub id: Option<u64>,
    /// Where the history of the yard's former place lies; null where none was set aside.
    pub ledger: Option<ReportPath>,
}
