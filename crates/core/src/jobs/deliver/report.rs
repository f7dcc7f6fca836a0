//! What came of `deliver`.

use serde::Serialize;

use crate::check::ToolCheck;
use crate::jobs::preparing::PreparedReport;
use crate::report::{ReportBody, ReportPath, Verdict};

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Delivery {
    pub waybill: ReportPath,
    pub dry_run: bool,
    /// The system of another, empty machine that this is the plan for; null for this machine.
    pub system: Option<String>,
    /// Whether the machine was only compared with the waybill.
    pub verify: bool,
    /// The number of the change that all others are parts of; null where nothing was changed.
    pub change: Option<u64>,
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

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct DeliveredTool {
    pub name: String,
    pub version: String,
    /// What has to be done to it; nothing where it is as the waybill says.
    pub steps: Vec<DeliveryStep>,
    /// The file, address or folder that it comes from on this machine.
    pub source: Option<String>,
    /// The files that are prepared, as far as they can be told beforehand.
    pub prepared: Vec<PreparedReport>,
    pub state: DeliveryState,
    pub why: Option<String>,
    pub change: Option<u64>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum DeliveryStep {
    Receive,
    /// It is there, but from another file: it is received again in its place.
    Replace,
    Adopt,
    Switch,
    /// It is registered, in another scope or with other home variables than it is.
    Register,
    Prepare,
    Retire,
    /// Its card gets other probes, requirements or trials.
    Record,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum DeliveryState {
    /// It is as the waybill says, and was before.
    Here,
    Planned,
    Done,
    Failed,
    /// It was left as it is, since a tool that it requires failed.
    Skipped,
}
