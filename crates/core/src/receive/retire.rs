//! Taking a tool out of the stock: unregistered, its card gone, its folder kept for a while.

use std::fs;
use std::path::PathBuf;
use std::time::Duration;

use jiff::Timestamp;
use serde::Serialize;

use super::{ReceiveError, Registrar};
use crate::error::FileContext as _;
use crate::machine::Machine;
use crate::progress::Stop;
use crate::store::{RegistryChange, StartupChange};
use crate::yard::{Acts, Change, Yard, YardError, YardLock};

/// How long a retired folder is kept.
const KEPT: Duration = Duration::from_secs(30 * 24 * 60 * 60);

/// The report of `retire`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct RetireReport {
    /// The format number.
    pub format: u32,
    /// `retire`.
    pub report: &'static str,
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// The number of the change; null where none was made.
    pub id: Option<u64>,
    /// The tool and its version, as in `NAME@VERSION`; none where only retired folders were removed.
    pub tool: Option<String>,
    /// Where its folder is kept.
    pub kept: Option<PathBuf>,
    /// Its folder, where that was adopted and stays in place.
    pub stays: Option<PathBuf>,
    /// The uninstaller on its card, which was not run.
    pub uninstaller: Option<String>,
    /// What happens to the startup files.
    pub startup_files: Vec<StartupChange>,
    /// What happens to values of the registry.
    pub registry_values: Vec<RegistryChange>,
    /// The retired folders that are removed for good.
    pub removed: Vec<PathBuf>,
}

impl RetireReport {
    fn new(dry_run: bool) -> Self {
        Self {
            format: 1,
            report: "retire",
            dry_run,
            id: None,
            tool: None,
            kept: None,
            stays: None,
            uninstaller: None,
            startup_files: Vec::new(),
            registry_values: Vec::new(),
            removed: Vec::new(),
        }
    }
}

/// Retires a tool, or the one version of it that is named.
///
/// # Errors
/// When there is no such tool, or something is in the way; nothing is changed then.
pub fn retire(machine: &Machine, wanted: &str, dry_run: bool, stop: &Stop) -> Result<RetireReport, ReceiveError> {
    let yard = Yard::of(machine);
    let settings = yard.settings()?;
    // Looked for before the lock, so that a wrong name makes no yard.
    yard.find(wanted)?;
    let lock = if dry_run { None } else { Some(yard.lock()?) };
    let mut card = yard.find(wanted)?;
    let was_registered = card.registration.is_some();
    let tool = format!("{}@{}", card.name, card.version);
    let mut report = RetireReport { tool: Some(tool.clone()), ..RetireReport::new(dry_run) };
    report.uninstaller = card.uninstaller.as_ref().map(|words| words.join(" "));
    let mut acts = Acts::default();
    let registrar = Registrar::new(machine, &yard, &settings, stop);
    if was_registered {
        let plan = registrar.plan(None, Some(&card))?;
        (report.startup_files, report.registry_values) = (plan.startup_files(), plan.registry_values());
        card.registration = None;
        acts = registrar.acts(&plan, None, Some(&card))?;
    }
    yard.remove_card(&mut acts, &card)?;
    let (home, id) = (yard.home_of(&card), yard.ledger().read()?.next_id());
    if card.folder.is_none() {
        let kept = yard.retired_home(&card.name, &card.version, id);
        acts.shift(&home, &kept);
        report.kept = Some(kept);
    } else {
        report.stays = Some(home);
    }
    if let Some(lock) = lock {
        report.id = lock.carry_out(Change { does: format!("retire {tool}"), undoes: None, acts })?;
        report.removed = remove_old(&yard, &lock)?;
    }
    Ok(report)
}

/// Removes the folders of all retired tools for good.
///
/// # Errors
/// When one cannot be removed.
pub fn empty_retired(machine: &Machine, dry_run: bool) -> Result<RetireReport, ReceiveError> {
    let yard = Yard::of(machine);
    let mut report = RetireReport::new(dry_run);
    if !yard.retired().is_dir() {
        return Ok(report);
    }
    if dry_run {
        report.removed = retired(&yard)?;
        return Ok(report);
    }
    let lock = yard.lock()?;
    report.removed = remove(&yard, &lock, |_| true)?;
    Ok(report)
}

/// Removes what has been kept for long enough.
pub(super) fn remove_old(yard: &Yard, lock: &YardLock) -> Result<Vec<PathBuf>, ReceiveError> {
    remove(yard, lock, |age| age > KEPT)
}

fn retired(yard: &Yard) -> Result<Vec<PathBuf>, YardError> {
    let folder = yard.retired();
    let entries = match fs::read_dir(&folder) {
        Ok(entries) => entries,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(e) => return Err(e).at("list the folder", &folder).map_err(Into::into),
    };
    let mut all: Vec<PathBuf> = entries.flatten().map(|entry| entry.path()).collect();
    all.sort();
    Ok(all)
}

/// Removes retired folders of an age for good: into staging first, by way of the ledger, and then from the disk.
fn remove(yard: &Yard, lock: &YardLock, goes: impl Fn(Duration) -> bool) -> Result<Vec<PathBuf>, ReceiveError> {
    let told = yard.ledger().read()?;
    let now = Timestamp::now();
    let age = |folder: &PathBuf| {
        // The number of the change that brought it there is the end of its name.
        let id: u64 = folder.extension()?.to_str()?.parse().ok()?;
        let time: Timestamp = told.records.iter().find(|record| record.id == id)?.time.parse().ok()?;
        Duration::try_from(now.duration_since(time)).ok()
    };
    // Of what nobody knows anything the age is none: it goes only where all do.
    let gone: Vec<PathBuf> =
        retired(yard)?.into_iter().filter(|folder| goes(age(folder).unwrap_or_default())).collect();
    let mut acts = Acts::default();
    for folder in &gone {
        acts.shift(folder, &yard.staging().join(folder.file_name().unwrap_or_default()));
    }
    lock.carry_out(Change { does: "remove retired tools for good".to_owned(), undoes: None, acts })?;
    for folder in &gone {
        let place = yard.staging().join(folder.file_name().unwrap_or_default());
        fs::remove_dir_all(&place).at("remove", &place).map_err(YardError::from)?;
    }
    Ok(gone)
}
