//! Where a user can write besides their home.

use std::fs;
use std::path::{Path, PathBuf};

use super::unix::may_write;

/// Of a folder with more entries than this, only so many are looked at.
const MOST_ENTRIES: usize = 500;

/// What is no disk, or comes and goes with the session.
const NO_DISKS: [&str; 5] = ["/proc", "/sys", "/dev", "/run", "/tmp"];

/// The folders at the root and right below it, and the places of other disks, that the effective user can write in.
pub fn writable_places() -> Vec<PathBuf> {
    let (remote, mounted) = (super::seal::remote_places(), super::seal::mounted_places());
    let is_disk = |place: &PathBuf| {
        !NO_DISKS.iter().any(|no| place.starts_with(no)) && !remote.iter().any(|far| place.starts_with(far))
    };
    let mut found = Vec::new();
    for top in folders_in(Path::new("/")).into_iter().filter(is_disk) {
        match may_write(&top) {
            true => found.push(top),
            false => found.extend(folders_in(&top).into_iter().filter(is_disk).filter(|folder| may_write(folder))),
        }
    }
    let is_new = |place: &PathBuf| !found.contains(place);
    let disks: Vec<PathBuf> = mounted.into_iter().filter(is_disk).filter(is_new).collect();
    found.extend(disks.into_iter().filter(|place| place != Path::new("/") && place.is_dir() && may_write(place)));
    found
}

fn folders_in(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten().take(MOST_ENTRIES);
    entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir())).map(|entry| entry.path()).collect()
}
