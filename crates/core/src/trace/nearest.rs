//! The commands nearest to a name that nothing has.

use std::collections::{BTreeSet, HashSet};
use std::path::PathBuf;

use crate::os;
use crate::path_list::{PathEntry, PathList, windows};
use crate::resolve::Surroundings;
use crate::survey::commands_in;
use crate::system::System;

/// No more are told.
const MOST: usize = 3;

/// The commands in these PATHs that a slip of the hand or two makes of the name, nearest first.
pub(super) fn nearest<'a>(name: &str, around: impl Iterator<Item = &'a Surroundings>) -> Vec<String> {
    let most = match name.chars().count() {
        0 => return Vec::new(),
        1..=3 => 1,
        _ => 2,
    };
    let (mut names, mut met) = (BTreeSet::new(), HashSet::<PathBuf>::new());
    for around in around {
        let folders: Vec<_> = match os::HERE {
            System::Unix => PathList::parse(&around.path).entries().map(PathEntry::folder).collect(),
            System::Windows => {
                windows::parts(&around.path.to_string_lossy()).into_iter().map(|p| windows::folder(p).into()).collect()
            }
        };
        folders.into_iter().filter(|folder| met.insert(folder.clone())).for_each(|f| names.extend(commands_in(&f)));
    }
    let distance = |other: &String| strsim::osa_distance(&name.to_lowercase(), &other.to_lowercase());
    let mut near: Vec<(usize, String)> = names
        .into_iter()
        .map(|other| (distance(&other), other))
        .filter(|(distance, _)| (1..=most).contains(distance))
        .collect();
    near.sort();
    near.into_iter().take(MOST).map(|(_, name)| name).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[cfg_attr(windows, ignore = "the programs are those of Unix")]
    fn the_nearest_come_first() {
        use std::os::unix::fs::PermissionsExt as _;
        let folder = tempfile::tempdir().unwrap();
        for name in ["tidelog", "tidelogc", "shoal", "tl"] {
            let file = folder.path().join(name);
            std::fs::write(&file, "").unwrap();
            std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o755)).unwrap();
        }
        let around = Surroundings { path: folder.path().into(), ..Surroundings::default() };
        let near = |name: &str| nearest(name, [&around].into_iter());
        assert_eq!(near("tideolg"), ["tidelog", "tidelogc"]);
        assert_eq!(near("tt"), ["tl"]);
        assert!(near("").is_empty() && near("harbour").is_empty());
    }
}
