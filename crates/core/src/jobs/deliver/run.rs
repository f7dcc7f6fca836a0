//! The job: a plan for each tool, then what it says, then one check of all.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use super::difference::{missing_command, steps};
use super::error::DeliverError;
use super::prefetch::prefetch;
use super::report::{DeliveredTool, Delivery, DeliveryState, DeliveryStep};
use super::steps::{Failed, Wanted, failed, folder_of, retire_all};
use crate::check::{ToolCheck, check};
use crate::download::{Address, DownloadError};
use crate::finding::Finding;
use crate::jobs::preparing::PreparedReport;
use crate::naming::{ToolName, did_you_mean};
use crate::os;
use crate::progress::Progress;
use crate::report::Report;
use crate::session::{JobError, Session, SessionError};
use crate::waybill::{Place, Waybill, WaybillSource, WaybillTool, in_order, read};
use crate::yard::{Card, Stock};

/// What is asked of `deliver`.
#[derive(Debug, Clone, Default)]
pub struct DeliverRequest {
    pub waybill: PathBuf,
    /// The tools that are delivered, with what they require; none means all.
    pub only: Vec<String>,
    pub dry_run: bool,
    /// Whether the machine is only compared with the waybill, and checked.
    pub verify: bool,
    /// Whether tools that the waybill does not name are retired.
    pub retire_others: bool,
    pub agreed: bool,
    /// The system of another, empty machine that the plan is for: `linux`, `macos` or `windows`. Only with a dry run.
    pub system: Option<String>,
}

/// Delivers the tools of a waybill. One that fails leaves the others alone; those that require it are skipped.
pub fn run(session: &Session, request: &DeliverRequest, progress: &dyn Progress) -> Result<Report<Delivery>, JobError> {
    let waybill = read(&request.waybill)?;
    let chosen = chosen(&waybill, &request.only)?;
    let folder = folder_of(&request.waybill);
    let looks_only = request.dry_run || request.verify || request.system.is_some();
    if !looks_only {
        session.check_scratch()?;
        // What an earlier call has left half done is settled before anything is planned from the cards.
        if session.yard.ledger().is_open()? {
            drop(session.lock()?);
        }
    }
    let stock = if request.system.is_some() { Stock::default() } else { session.stock()? };
    let system = request.system.as_deref().unwrap_or(os::SYSTEM);
    let sources: Vec<(&WaybillTool, Option<&WaybillSource>)> = chosen
        .into_iter()
        .map(|tool| (tool, tool.sources.iter().find(|source| source.fits(system, std::env::consts::ARCH))))
        .collect();
    let homes = homes(session, &stock, &folder, &sources);
    let plan: Vec<(Wanted<'_>, DeliveredTool)> = sources
        .into_iter()
        .map(|(tool, source)| {
            session.bail_if_interrupted()?;
            let wanted = Wanted { tool, source, folder: &folder, homes: &homes, agreed: request.agreed };
            Ok((wanted, planned(session, &stock, &wanted, looks_only && request.system.is_none())))
        })
        .collect::<Result<_, JobError>>()?;
    if !looks_only {
        refuse_launchers(session, &plan)?;
    }
    let addresses: Vec<Address> = match looks_only {
        true => Vec::new(),
        false => plan.iter().flat_map(|(wanted, delivered)| wanted.addresses(&delivered.steps)).collect(),
    };
    let mut absent = match addresses.is_empty() {
        true => HashMap::new(),
        false => prefetch(session, addresses, progress)?,
    };
    let others = if request.retire_others { others(&stock, &waybill) } else { Vec::new() };
    let is_to_do = plan.iter().any(|(_, tool)| tool.state == DeliveryState::Planned) || !others.is_empty();
    let change = if is_to_do && !looks_only { Some(begin(session, &request.waybill)?) } else { None };
    let mut tools = carry_out(session, plan, looks_only, &mut absent, progress)?;
    for mut other in others {
        if !looks_only {
            let outcome = retire_all(session, &other.name);
            note(&mut other, outcome)?;
        }
        tools.push(other);
    }
    let is_changed = tools.iter().any(|tool| tool.state == DeliveryState::Done);
    let (checks, findings) = match request.dry_run || request.system.is_some() {
        true => (Vec::new(), Vec::new()),
        false => checked(session, &tools)?,
    };
    let is_short = tools.iter().any(|tool| match tool.state {
        DeliveryState::Failed | DeliveryState::Skipped => true,
        DeliveryState::Planned => request.verify,
        DeliveryState::Here | DeliveryState::Done => false,
    });
    let delivery = Delivery {
        waybill: request.waybill.clone().into(),
        dry_run: request.dry_run,
        system: request.system.clone(),
        verify: request.verify,
        change: change.filter(|_| is_changed),
        tools,
        checks,
    };
    Ok(Report::new(delivery).with_findings(findings).failed_if(is_short))
}

/// Does what the plan says, tool by tool; what requires one that failed is skipped.
fn carry_out(
    session: &Session,
    plan: Vec<(Wanted<'_>, DeliveredTool)>,
    looks_only: bool,
    absent: &mut HashMap<String, DownloadError>,
    progress: &dyn Progress,
) -> Result<Vec<DeliveredTool>, JobError> {
    let mut tools: Vec<DeliveredTool> = Vec::new();
    let mut missing_tools: HashSet<&ToolName> = HashSet::new();
    for (wanted, mut delivered) in plan {
        let missing = wanted.tool.requires.tools.iter().find(|name| missing_tools.contains(name));
        if let Some(missing) = missing {
            delivered.state = DeliveryState::Skipped;
            delivered.why = Some(format!("requires {missing}"));
        } else if delivered.state == DeliveryState::Planned && !looks_only {
            let addresses = wanted.addresses(&delivered.steps);
            let absent = addresses.iter().find_map(|address| absent.remove(address.as_str()));
            let outcome = match absent {
                Some(error) => Err(error.into()),
                None => wanted.carry_out(session, &delivered.steps, &mut delivered.prepared, progress),
            };
            if note(&mut delivered, outcome)? {
                lacks_command(&session.stock()?, wanted.tool, &mut delivered);
            }
        }
        if matches!(delivered.state, DeliveryState::Failed | DeliveryState::Skipped) {
            missing_tools.insert(&wanted.tool.name);
        }
        tools.push(delivered);
    }
    Ok(tools)
}

/// Notes how a tool came out, and gives whether it is done; an error only where the user asked to stop.
fn note(tool: &mut DeliveredTool, outcome: Result<Option<u64>, Failed>) -> Result<bool, JobError> {
    match outcome {
        Ok(change) => (tool.state, tool.change) = (DeliveryState::Done, change),
        Err(failed) if failed.interrupted => return Err(SessionError::Interrupted.into()),
        Err(failed) => (tool.state, tool.why) = (DeliveryState::Failed, Some(failed.why)),
    }
    Ok(tool.state == DeliveryState::Done)
}

/// Checks those of the waybill's tools that are registered, all at once.
fn checked(session: &Session, tools: &[DeliveredTool]) -> Result<(Vec<ToolCheck>, Vec<Finding>), JobError> {
    let delivered: HashSet<_> = tools.iter().map(|tool| (tool.name.as_str(), tool.version.as_str())).collect();
    let is_of_waybill = |card: &&Card| delivered.contains(&(card.name.as_str(), card.version.as_str()));
    let stock = session.stock()?;
    let cards = stock.iter().filter(is_of_waybill).filter(|card| card.registration.is_some());
    let checked = check(session, &cards.cloned().collect::<Vec<_>>(), true)?;
    let findings = checked.findings.clone();
    Ok((checked.into_body().tools, findings))
}

/// Refuses the whole waybill where a launcher names a file that its tool does not have, as far as the tools are at hand.
fn refuse_launchers(session: &Session, plan: &[(Wanted<'_>, DeliveredTool)]) -> Result<(), JobError> {
    for (wanted, delivered) in plan {
        let is_new = matches!(delivered.steps.first(), Some(DeliveryStep::Receive | DeliveryStep::Replace));
        if !is_new || wanted.tool.launchers.is_empty() {
            continue;
        }
        if let Some(why) = wanted.launcher_trouble(session) {
            return Err(DeliverError::Launcher { tool: delivered.name.clone(), why }.into());
        }
    }
    Ok(())
}

/// The tools that were named, with what they require, in order; all where none was named.
fn chosen<'a>(waybill: &'a Waybill, only: &[String]) -> Result<Vec<&'a WaybillTool>, JobError> {
    let names: HashSet<&str> = waybill.tools.iter().map(|tool| tool.name.as_str()).collect();
    if let Some(unknown) = only.iter().find(|name| !names.contains(name.as_str())) {
        let known = waybill.tools.iter().map(|tool| tool.name.to_string());
        return Err(DeliverError::NoTool { name: unknown.clone(), meant: did_you_mean(unknown, known) }.into());
    }
    // A circle was refused when the waybill was read.
    let ordered = in_order(&waybill.tools).unwrap_or_default();
    if only.is_empty() {
        return Ok(ordered);
    }
    let mut wanted: HashSet<&str> = only.iter().map(String::as_str).collect();
    for tool in ordered.iter().rev() {
        if wanted.contains(tool.name.as_str()) {
            wanted.extend(tool.requires.tools.iter().map(ToolName::as_str));
        }
    }
    Ok(ordered.into_iter().filter(|tool| wanted.contains(tool.name.as_str())).collect())
}

/// Marks a tool that is there without a command that the waybill names.
fn lacks_command(stock: &Stock, tool: &WaybillTool, delivered: &mut DeliveredTool) {
    if let Some(why) = stock.version(&tool.name, &tool.version).and_then(|card| missing_command(tool, card)) {
        (delivered.state, delivered.why) = (DeliveryState::Failed, Some(why));
    }
}

/// Begins the change that all others of this delivery are parts of.
fn begin(session: &Session, waybill: &Path) -> Result<u64, JobError> {
    let name = waybill.file_name().unwrap_or_default().to_string_lossy();
    let group = session.lock()?.begin_group(format!("deliver {name}"))?;
    Ok(*session.group.get_or_init(|| group))
}

fn homes(
    session: &Session,
    stock: &Stock,
    folder: &Path,
    sources: &[(&WaybillTool, Option<&WaybillSource>)],
) -> HashMap<String, PathBuf> {
    let home = |(tool, source): &(&WaybillTool, Option<&WaybillSource>)| {
        let home = match (stock.version(&tool.name, &tool.version), source.and_then(WaybillSource::place)) {
            (Some(card), _) => session.yard.home_of(card),
            (None, Some(Place::Folder(adopted))) => folder.join(adopted),
            (None, _) => session.yard.home(&tool.name, &tool.version),
        };
        (tool.name.to_string(), home)
    };
    sources.iter().map(home).collect()
}

fn planned(session: &Session, stock: &Stock, wanted: &Wanted<'_>, previews: bool) -> DeliveredTool {
    let tool = wanted.tool;
    let mut delivered = DeliveredTool {
        name: tool.name.to_string(),
        version: tool.version.to_string(),
        steps: Vec::new(),
        source: wanted.source.and_then(WaybillSource::place).map(|place| place.to_string()),
        prepared: Vec::new(),
        state: DeliveryState::Here,
        why: None,
        change: None,
    };
    match plan(session, stock, wanted, previews) {
        Ok((steps, prepared)) => (delivered.steps, delivered.prepared) = (steps, prepared),
        Err(failed) => (delivered.state, delivered.why) = (DeliveryState::Failed, Some(failed.why)),
    }
    if !delivered.steps.is_empty() {
        delivered.state = DeliveryState::Planned;
    } else if delivered.state == DeliveryState::Here {
        lacks_command(stock, tool, &mut delivered);
    }
    delivered
}

/// The steps to a tool, and the files that are prepared on the way, as far as that can be told.
fn plan(
    session: &Session,
    stock: &Stock,
    wanted: &Wanted<'_>,
    previews: bool,
) -> Result<(Vec<DeliveryStep>, Vec<PreparedReport>), Failed> {
    let tool = wanted.tool;
    let mut steps = steps(tool, wanted.source, stock)?;
    let is_received = matches!(steps.first(), Some(DeliveryStep::Receive | DeliveryStep::Replace));
    let card = stock.version(&tool.name, &tool.version);
    if card.is_none() && wanted.source.is_none() {
        return Err(failed("no source for this machine"));
    }
    if is_received && !(tool.prepare.is_empty() && tool.launchers.is_empty()) {
        steps.push(DeliveryStep::Prepare);
    }
    let Some(card) = card.filter(|_| !is_received) else {
        let prepared = if previews { wanted.preview(session)? } else { Vec::new() };
        return Ok((steps, prepared));
    };
    let preparation = wanted.preparation(session, stock, card)?;
    if wanted.is_unprepared(card, &preparation) {
        let before_record = steps.iter().position(|step| *step == DeliveryStep::Record).unwrap_or(steps.len());
        steps.insert(before_record, DeliveryStep::Prepare);
    }
    Ok((steps, preparation.report()))
}

/// The tools of the yard that a waybill does not name, each with the version in use.
fn others(stock: &Stock, waybill: &Waybill) -> Vec<DeliveredTool> {
    let named: HashSet<&ToolName> = waybill.tools.iter().map(|tool| &tool.name).collect();
    let is_other = |card: &&&Card| !named.contains(&card.name);
    let other = |card: &&Card| DeliveredTool {
        name: card.name.to_string(),
        version: card.version.to_string(),
        steps: vec![DeliveryStep::Retire],
        source: None,
        prepared: Vec::new(),
        state: DeliveryState::Planned,
        why: None,
        change: None,
    };
    stock.in_service().iter().filter(is_other).map(other).collect()
}
