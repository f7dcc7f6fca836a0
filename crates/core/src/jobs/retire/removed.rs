//! Retired folders that are deleted.

use std::path::PathBuf;
use std::time::{Duration, SystemTime};

use crate::change::{Change, Changeset, LedgerError};
use crate::clock;
use crate::error::FileError;
use crate::session::JobError;
use crate::yard::{Yard, YardLock, clear_or_leave, list_own};

const KEPT: Duration = Duration::from_secs(30 * 24 * 60 * 60);

/// Removes what has been kept for long enough.
pub(crate) fn remove_old(yard: &Yard, lock: &YardLock) -> Result<Vec<PathBuf>, JobError> {
    remove(yard, lock, |age| age > KEPT)
}

pub(super) fn kept_folders(yard: &Yard) -> Result<Vec<PathBuf>, FileError> {
    list_own(&yard.retired())
}

/// Removes retired folders of an age for good: into staging first, by way of the ledger, and then from the disk.
pub(super) fn remove(yard: &Yard, lock: &YardLock, goes: impl Fn(Duration) -> bool) -> Result<Vec<PathBuf>, JobError> {
    let kept = kept_folders(yard)?;
    if kept.is_empty() {
        return Ok(Vec::new());
    }
    // The number of the change that brought it there is the end of its name.
    let id = |folder: &PathBuf| -> Option<u64> { folder.extension()?.to_str()?.parse().ok() };
    let told = yard.ledger().read_back_to(kept.iter().filter_map(id).min().unwrap_or(u64::MAX))?;
    let now = SystemTime::now();
    let age = |folder: &PathBuf| {
        let id = id(folder)?;
        let time = clock::parse(&told.records.iter().find(|record| record.id == id)?.time)?;
        now.duration_since(time).ok()
    };
    // Of what nobody knows anything the age is none: it goes only where all do.
    let mut gone: Vec<PathBuf> = Vec::new();
    for folder in kept.into_iter().filter(|folder| goes(age(folder).unwrap_or_default())) {
        let name = folder.file_name().unwrap_or_default();
        let place = yard.staging().join(name);
        let mut changeset = Changeset::default();
        changeset.shift(&folder, &place);
        let does = format!("delete the retired {}", name.to_string_lossy());
        match lock.carry_out(Change { does, undoes: None, changeset }) {
            // Windows moves no folder in which a file is open; it goes another time.
            Err(LedgerError::TakenBack(why)) => {
                tracing::warn!("could not remove {}; the next run will retry: {}", folder.display(), why.source);
                continue;
            }
            other => other?,
        };
        clear_or_leave(&place);
        gone.push(folder);
    }
    Ok(gone)
}
