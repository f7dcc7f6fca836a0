//! What killed calls left in a folder for temporary files.

use std::fs::{self, DirEntry};
use std::path::Path;
use std::time::{Duration, SystemTime};

/// No call works in such a folder for that long.
const OLD: Duration = Duration::from_secs(24 * 60 * 60);

/// Removes the folders in `place` that are named as [`crate::os::temporary_name`] names them and have not changed for a day.
/// Numbers of processes tell nothing: another container may share the place.
pub(super) fn clear(place: &Path, now: SystemTime) {
    let entries = fs::read_dir(place).into_iter().flatten().flatten();
    for left in entries.filter(|entry| is_named_as_ours(entry) && is_old(entry, now)) {
        if let Err(why) = fs::remove_dir_all(left.path()) {
            tracing::debug!("could not remove {}: {why}", left.path().display());
        }
    }
}

fn is_named_as_ours(entry: &DirEntry) -> bool {
    let name = entry.file_name();
    let rest = name.to_str().and_then(|name| name.strip_prefix("wyard-")?.split_once('-'));
    // Folders of trials stay where the user wants to look at them.
    let is_number = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    rest.is_some_and(|(process, what)| is_number(process) && !what.starts_with("trial-"))
}

fn is_old(entry: &DirEntry, now: SystemTime) -> bool {
    let changed = entry.metadata().ok().filter(fs::Metadata::is_dir).and_then(|seen| seen.modified().ok());
    changed.is_some_and(|changed| now.duration_since(changed).is_ok_and(|age| age > OLD))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_old_folders_of_ours_go() {
        let place = tempfile::tempdir().unwrap();
        for name in ["wyard-17-probe-x", "wyard-17-", "wyard-x-1", "wyard-17", "tide-17-x", "wyard-17-trial-x"] {
            fs::create_dir_all(place.path().join(name).join("in")).unwrap();
        }
        fs::write(place.path().join("wyard-18-file"), "").unwrap();
        let left = || fs::read_dir(place.path()).unwrap().count();
        clear(place.path(), SystemTime::now());
        assert_eq!(left(), 7);
        clear(place.path(), SystemTime::now() + 2 * OLD);
        assert_eq!(left(), 5);
        assert!(place.path().join("wyard-18-file").exists() && place.path().join("wyard-17-trial-x").exists());
    }
}
