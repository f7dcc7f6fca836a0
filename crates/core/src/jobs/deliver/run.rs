//! The job: a plan for each tool, then what it says, then one check of all.

use std::collections::HashMap;
use std::path::PathBuf;

use super::difference::{missing_command, steps};
use super::error::DeliverError;
use super::prefetch::prefetch;
use super::report::{DeliveredTool, Delivery, DeliveryState, DeliveryStep};
use super::steps::{Wanted, folder_of, retire_all};
use crate::check::check;
use crate::download::Address;
use crate::naming::did_you_mean;
use crate::os;
use crate::progress::Progress;
use crate::report::Report;
use crate::session::{Session, SessionError};
use crate::waybill::{Waybill, WaybillSource, WaybillTool, in_order, read};
use crate::yard::{Card, Stock};

/// What is asked of `deliver`.
#[derive(Debug, Clone, Default)]
pub struct DeliverRequest {
    /// The waybill.
    pub waybill: PathBuf,
    /// The tools that are delivered, with what they require; none means all.
    pub only: Vec<String>,
    /// Whether only the plan is wanted.
    pub dry_run: bool,
    /// Whether the machine is only compared with the waybill, and checked.
    pub verify: bool,
    /// Whether tools that the waybill does not name are retired.
    pub retire_others: bool,
}

/// Delivers the tools of a waybill. One that fails leaves the others alone; those that require it are skipped.
///
/// # Errors
/// When the waybill is of no use, or the user asks to stop.
pub fn run(
    session: &Session,
    request: &DeliverRequest,
    progress: &dyn Progress,
) -> Result<Report<Delivery>, DeliverError> {
    let waybill = read(&request.waybill)?;
    let chosen = chosen(&waybill, &request.only)?;
    let folder = folder_of(&request.waybill);
    let looks_only = request.dry_run || request.verify;
    if !looks_only {
        session.check_scratch()?;
    }
    let stock = session.stock()?;
    let plan: Vec<(Wanted<'_>, DeliveredTool)> = chosen
        .into_iter()
        .map(|tool| {
            let source = tool.sources.iter().find(|source| source.fits(os::SYSTEM, std::env::consts::ARCH));
            let wanted = Wanted { tool, source, folder: &folder };
            (wanted, planned(&stock, &wanted))
        })
        .collect();
    let addresses: Vec<Address> = match looks_only {
        true => Vec::new(),
        false => plan.iter().filter_map(|(wanted, delivered)| wanted.address(&delivered.steps)).collect(),
    };
    let mut absent = match addresses.is_empty() {
        true => HashMap::new(),
        false => prefetch(session, addresses, progress)?,
    };
    let mut tools: Vec<DeliveredTool> = Vec::new();
    for (wanted, mut delivered) in plan {
        let tool = wanted.tool;
        let missing = tool.requires.tools.iter().find(|name| {
            let failed = |state| matches!(state, DeliveryState::Failed | DeliveryState::Skipped);
            tools.iter().any(|other| other.name == name.as_str() && failed(other.state))
        });
        if let Some(missing) = missing {
            delivered.state = DeliveryState::Skipped;
            delivered.why = Some(format!("requires {missing}"));
        } else if delivered.state == DeliveryState::Planned && !looks_only {
            let absent = wanted.address(&delivered.steps).and_then(|address| absent.remove(address.as_str()));
            let outcome = match absent {
                Some(error) => Err(error.into()),
                None => wanted.carry_out(session, &delivered.steps, progress),
            };
            match outcome {
                Ok(change) => {
                    (delivered.state, delivered.change) = (DeliveryState::Done, change);
                    lacks_command(&session.stock()?, tool, &mut delivered);
                }
                Err(failed) if failed.interrupted => return Err(SessionError::Interrupted.into()),
                Err(failed) => (delivered.state, delivered.why) = (DeliveryState::Failed, Some(failed.why)),
            }
        }
        tools.push(delivered);
    }
    if request.retire_others {
        for mut other in others(session, &waybill)? {
            if !looks_only {
                match retire_all(session, &other.name) {
                    Ok(change) => (other.state, other.change) = (DeliveryState::Done, change),
                    Err(failed) if failed.interrupted => return Err(SessionError::Interrupted.into()),
                    Err(failed) => (other.state, other.why) = (DeliveryState::Failed, Some(failed.why)),
                }
            }
            tools.push(other);
        }
    }
    let is_changed = tools.iter().any(|tool| tool.state == DeliveryState::Done);
    let (checks, verdict, findings) = if is_changed || request.verify {
        let stock = session.stock()?;
        let is_of_waybill = |card: &&Card| {
            tools.iter().any(|tool| tool.name == card.name.as_str() && tool.version == card.version.as_str())
        };
        let cards: Vec<Card> =
            stock.iter().filter(is_of_waybill).filter(|card| card.registration.is_some()).cloned().collect();
        let checked = check(session, &cards, true)?;
        let (verdict, findings) = (checked.verdict, checked.findings.clone());
        (checked.into_body().tools, verdict, findings)
    } else {
        (Vec::new(), None, Vec::new())
    };
    let is_short = tools.iter().any(|tool| match tool.state {
        DeliveryState::Failed | DeliveryState::Skipped => true,
        DeliveryState::Planned => request.verify,
        DeliveryState::Here | DeliveryState::Done => false,
    });
    let delivery = Delivery {
        waybill: request.waybill.clone().into(),
        dry_run: request.dry_run,
        verify: request.verify,
        tools,
        checks,
    };
    Ok(Report::new(delivery).with_verdict(verdict).with_findings(findings).failed_if(is_short))
}

/// The tools that were named, with what they require, in order; all where none was named.
fn chosen<'a>(waybill: &'a Waybill, only: &[String]) -> Result<Vec<&'a WaybillTool>, DeliverError> {
    let names = || waybill.tools.iter().map(|tool| tool.name.to_string());
    if let Some(unknown) = only.iter().find(|name| !names().any(|known| known == **name)) {
        return Err(DeliverError::NoTool { name: unknown.clone(), meant: did_you_mean(unknown, names()) });
    }
    // A circle was refused when the waybill was read.
    let ordered = in_order(&waybill.tools).unwrap_or_default();
    if only.is_empty() {
        return Ok(ordered);
    }
    let mut wanted: Vec<String> = only.to_vec();
    for tool in ordered.iter().rev() {
        if wanted.contains(&tool.name.to_string()) {
            wanted.extend(tool.requires.tools.iter().map(ToString::to_string));
        }
    }
    Ok(ordered.into_iter().filter(|tool| wanted.contains(&tool.name.to_string())).collect())
}

/// Marks a tool that is there without a command that the waybill names.
fn lacks_command(stock: &Stock, tool: &WaybillTool, delivered: &mut DeliveredTool) {
    if let Some(why) = stock.version(&tool.name, &tool.version).and_then(|card| missing_command(tool, card)) {
        (delivered.state, delivered.why) = (DeliveryState::Failed, Some(why));
    }
}

/// What has to be done to a tool.
fn planned(stock: &Stock, wanted: &Wanted<'_>) -> DeliveredTool {
    let mut delivered = DeliveredTool {
        name: wanted.tool.name.to_string(),
        version: wanted.tool.version.to_string(),
        steps: Vec::new(),
        source: wanted.source.and_then(WaybillSource::place).map(|place| place.to_string()),
        state: DeliveryState::Here,
        why: None,
        change: None,
    };
    match steps(wanted.tool, wanted.source, stock) {
        Ok(steps) => delivered.steps = steps,
        Err(error) => (delivered.state, delivered.why) = (DeliveryState::Failed, Some(error.to_string())),
    }
    if delivered.steps.is_empty() {
        lacks_command(stock, wanted.tool, &mut delivered);
    }
    let is_there = stock.version(&wanted.tool.name, &wanted.tool.version).is_some();
    if !is_there && wanted.source.is_none() {
        delivered.state = DeliveryState::Failed;
        delivered.why = Some("no source for this machine".to_owned());
    } else if !delivered.steps.is_empty() {
        delivered.state = DeliveryState::Planned;
    }
    delivered
}

/// The tools of the yard that a waybill does not name, each with the version in use.
fn others(session: &Session, waybill: &Waybill) -> Result<Vec<DeliveredTool>, DeliverError> {
    let stock = session.cards()?;
    let is_other = |card: &&&Card| waybill.tools.iter().all(|tool| tool.name != card.name);
    let other = |card: &&Card| DeliveredTool {
        name: card.name.to_string(),
        version: card.version.to_string(),
        steps: vec![DeliveryStep::Retire],
        source: None,
        state: DeliveryState::Planned,
        why: None,
        change: None,
    };
    Ok(stock.in_service().iter().filter(is_other).map(other).collect())
}
