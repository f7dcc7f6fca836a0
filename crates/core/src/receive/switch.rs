//! Putting another received version of a tool in service.

use serde::Serialize;

use super::ReceiveError;
use super::registration::{self, RegisterReport};
use crate::check::{ToolCheck, Verdict, check};
use crate::machine::Machine;
use crate::progress::Stop;
use crate::yard::Yard;

/// The report of `switch`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct SwitchReport {
    /// What happens to the stores.
    #[serde(flatten)]
    pub registered: RegisterReport,
    /// The version that was in service before; null where none was registered.
    pub was: Option<String>,
    /// The check in new terminals; null for a dry run.
    pub check: Option<ToolCheck>,
    /// Its verdict; null for a dry run.
    pub verdict: Option<Verdict>,
}

/// Puts a version in service in place of the one that is: in the same scope and with the same home variables, in one
/// change of each store; then checks it.
///
/// # Errors
/// When there is no such version, or something is in the way; nothing is changed then.
pub fn switch(
    machine: &Machine,
    name: &str,
    version: &str,
    dry_run: bool,
    stop: &Stop,
) -> Result<SwitchReport, ReceiveError> {
    let yard = Yard::of(machine);
    let wanted = format!("{name}@{version}");
    yard.find(&wanted)?;
    let present = yard.find(name)?;
    let registered = registration::put(machine, &wanted, None, dry_run, stop, "switch")?;
    let was = present.registration.is_some().then(|| present.version.to_string());
    let mut report = SwitchReport { registered, was, check: None, verdict: None };
    if !dry_run {
        let checked = check(machine, &yard, &yard.settings()?, &[yard.find(&wanted)?], true, stop)?;
        report.verdict = Some(checked.verdict);
        report.check = checked.tools.into_iter().next();
    }
    Ok(report)
}
