//! The smallest change of order that makes another copy of a command win.

use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;

use crate::survey::commands_in;

/// A change of the order of PATH: one entry goes directly before another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reorder {
    /// The order after it, as places in the order before.
    pub order: Vec<usize>,
    /// The commands that mean another file afterwards, each with that of before and that of after.
    pub changes: BTreeMap<String, (PathBuf, PathBuf)>,
}

/// Moves the entry at `from` directly before the one at `before`, and tells what that changes: the commands of the moved
/// folder of which a folder that it passes has another.
#[must_use]
pub fn smallest(folders: &[PathBuf], from: usize, before: usize) -> Reorder {
    let mut order: Vec<usize> = (0..folders.len()).filter(|at| *at != from).collect();
    let at = order.iter().position(|at| *at == before).unwrap_or(0);
    order.insert(at, from);
    let names: Vec<BTreeSet<String>> = folders.iter().map(|folder| commands_in(folder).into_iter().collect()).collect();
    let mut changes = BTreeMap::new();
    for name in names.get(from).into_iter().flatten() {
        let first = |order: &[usize]| order.iter().copied().find(|at| names[*at].contains(name));
        let earlier: Vec<usize> = (0..folders.len()).collect();
        if let (Some(was), Some(is)) = (first(&earlier), first(&order))
            && was != is
        {
            changes.insert(name.clone(), (folders[was].join(name), folders[is].join(name)));
        }
    }
    Reorder { order, changes }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[cfg_attr(windows, ignore = "the programs are those of Unix")]
    fn what_else_changes_is_told() {
        use std::os::unix::fs::PermissionsExt as _;
        let work = tempfile::tempdir().unwrap();
        let folders: Vec<PathBuf> = ["a", "b", "c"].iter().map(|name| work.path().join(name)).collect();
        for (folder, names) in folders.iter().zip([&["t", "sort"][..], &["u"], &["t", "u", "sort", "v"]]) {
            std::fs::create_dir(folder).unwrap();
            for name in names {
                std::fs::write(folder.join(name), "").unwrap();
                std::fs::set_permissions(folder.join(name), std::fs::Permissions::from_mode(0o755)).unwrap();
            }
        }
        let change = smallest(&folders, 2, 0);
        assert_eq!(change.order, [2, 0, 1]);
        assert_eq!(change.changes.keys().collect::<Vec<_>>(), ["sort", "t", "u"]);
        assert_eq!(change.changes["u"], (folders[1].join("u"), folders[2].join("u")));
        let change = smallest(&folders, 2, 1);
        assert_eq!((change.order, change.changes.len()), (vec![0, 2, 1], 1));
    }
}
