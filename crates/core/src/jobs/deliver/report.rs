//! What came of `deliver`.

use serde::Serialize;

use crate::check::ToolCheck;
use crate::jobs::preparing::PreparedReport;
use crate::report::{ReportBody, ReportPath, Verdict};

/// A delivery.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Delivery {
    /// The waybill.
    pub waybill: ReportPath,
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// The system of another, empty machine that this is the plan for; null for this machine.
    pub system: Option<String>,
    /// Whether the machine was only compared with the waybill.
    pub verify: bool,
    /// The number of the change that all others are parts of; null where nothing was changed.
    pub change: Option<u64>,
    /// The tools, in the order in which they are delivered.
    pub tools: Vec<DeliveredTool>,
    /// The check of all of them at the end; empty where nothing was changed or may be.
    pub checks: Vec<ToolCheck>,
}

impl ReportBody for Delivery {
    fn name(&self) -> &'static str {
        "deliver"
    }

    fn verdict(&self) -> Option<Verdict> {
        self.checks.iter().map(|check| check.verdict).max()
    }
}

/// A tool of the waybill.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeliveredTool {
    /// The tool.
    pub name: String,
    /// Its version.
    pub version: String,
    /// What has to be done to it; nothing where it is as the waybill says.
    pub steps: Vec<DeliveryStep>,
    /// The file, address or folder that it comes from on this machine.
    pub source: Option<String>,
    /// The files that are prepared, as far as they can be told beforehand.
    pub prepared: Vec<PreparedReport>,
    /// How it came out.
    pub state: DeliveryState,
    /// Why it failed or was skipped.
    pub why: Option<String>,
    /// The number of its change in the ledger.
    pub change: Option<u64>,
}

/// Something to be done to a tool.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum DeliveryStep {
    /// It is received from its source.
    Receive,
    /// It is there, but from another file: it is received again in its place.
    Replace,
    /// Its folder is adopted.
    Adopt,
    /// It takes the place of another version.
    Switch,
    /// It is registered, in another scope or with other home variables than it is.
    Register,
    /// Its settings or launchers are written.
    Prepare,
    /// It is not in the waybill, and is retired.
    Retire,
    /// Its card gets other probes, requirements or trials.
    Record,
}

/// How a tool came out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum DeliveryState {
    /// It is as the waybill says, and was before.
    Here,
    /// It would be changed.
    Planned,
    /// It was changed.
    Done,
    /// It could not be changed.
    Failed,
    /// It was left as it is, since a tool that it requires failed.
    Skipped,
}
