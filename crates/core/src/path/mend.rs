//! The smallest change of order that makes the wanted copy of a command win.

use std::path::{Path, PathBuf};

use super::meanings::Commands;
use crate::os;
use crate::path_list::{PathEntry, PathList, windows};
use crate::resolve::{self, Caller, Disk, Surroundings, same_file};
use crate::system::System;

/// So many other commands are named.
const MOST_NAMED: usize = 5;

/// The folders of a PATH value, as they are when its references are filled in.
#[must_use]
pub fn folders(around: &Surroundings) -> Vec<PathBuf> {
    match os::HERE {
        System::Unix => PathList::parse(&around.path).entries().map(PathEntry::folder).collect(),
        System::Windows => windows::parts(&around.path.to_string_lossy())
            .into_iter()
            .map(|part| windows::folder(part).into())
            .collect(),
    }
}

/// What to do so that `name` means `wanted`, which is in PATH behind another copy: the entry that holds it goes directly
/// before the one that wins now. Named are the other commands that this changes. `None` where that would not help.
#[must_use]
pub fn mend(name: &str, wanted: &Path, around: &Surroundings) -> Option<String> {
    let candidates = resolve::candidates(Caller::program(os::HERE), name, around, &Disk);
    let winner = resolve::winner(&candidates)?;
    let place = |path: &Path| {
        let found = candidates.iter().find(|c| c.path == path || same_file(&c.path, path))?;
        found.entry.as_ref().map(|(_, index)| *index)
    };
    let (first, ours) = (place(winner)?, place(wanted)?);
    let folders = folders(around);
    let (before, folder) = (folders.get(first)?, folders.get(ours).filter(|_| ours > first)?);
    let mut after = folders.clone();
    let moved = after.remove(ours);
    after.insert(first, moved);
    let changes = Commands::default().changes(&folders, &after);
    let others: Vec<&str> = changes.iter().map(|c| c.name.as_str()).filter(|other| *other != name).collect();
    let more = match others.len() {
        0 => "; no other command changes by it".to_owned(),
        count if count <= MOST_NAMED => format!("; it changes {} as well", others.join(", ")),
        count => format!("; it changes {} and {} more as well", others[..MOST_NAMED].join(", "), count - MOST_NAMED),
    };
    Some(format!("run 'wyard path move \"{}\" --before \"{}\"'{more}", folder.display(), before.display()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[cfg_attr(windows, ignore = "the programs are those of Unix")]
    fn the_move_and_what_else_it_changes_are_told() {
        let work = tempfile::tempdir().unwrap();
        let folder = |name: &str| work.path().join(name);
        for (at, names) in [("a", &["t"][..]), ("b", &["u"]), ("c", &["t", "u", "v"]), ("d", &["t"])] {
            std::fs::create_dir(folder(at)).unwrap();
            for name in names {
                // What they hold tells them apart.
                std::fs::write(folder(at).join(name), at).unwrap();
                os::set_folder_mode(&folder(at).join(name), 0o755).unwrap();
            }
        }
        let path = std::env::join_paths(["a", "b", "c", "d"].map(folder)).unwrap();
        let around = Surroundings { path, ..Surroundings::default() };
        let told = mend("t", &folder("c").join("t"), &around).unwrap();
        assert!(told.contains("/c\" --before") && told.ends_with("/a\"'; it changes u as well"), "{told}");
        assert!(mend("t", &folder("d").join("t"), &around).unwrap().ends_with("no other command changes by it"));
        assert_eq!(mend("t", &folder("a").join("t"), &around), None, "it wins already");
        assert_eq!(mend("t", &folder("b").join("t"), &around), None, "it is not there");
    }
}
