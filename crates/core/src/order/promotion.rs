//! The smallest change of order that makes the wanted copy of a command win.

use std::path::Path;

use super::meanings::Commands;
use crate::resolve::{self, Caller, Disk, LookupContext, same_file};
use crate::suggestion::suggested;

/// So many other commands are named.
const MOST_NAMED: usize = 5;

/// What to do so that `name` means `wanted`, which is in PATH behind another copy: the entry that holds it goes directly
/// before the one that wins now. Named are the other commands that this changes. `None` where that would not help.
#[must_use]
pub fn promotion(name: &str, wanted: &Path, context: &LookupContext) -> Option<String> {
    let candidates = resolve::candidates(Caller::typed(context.system), name, context, &Disk);
    let winner = resolve::winner(&candidates)?;
    let place = |path: &Path| {
        let found = candidates.iter().find(|c| c.path == path || same_file(&c.path, path))?;
        found.entry.as_ref().map(|(_, index)| *index)
    };
    let (first, ours) = (place(winner)?, place(wanted)?);
    let folders = context.folders();
    let (before, folder) = (folders.get(first)?, folders.get(ours).filter(|_| ours > first)?);
    let mut after = folders.clone();
    let moved = after.remove(ours);
    after.insert(first, moved);
    let changes = Commands::new(context.system).changes(&folders, &after);
    let others: Vec<&str> = changes.iter().map(|c| c.name.as_str()).filter(|other| *other != name).collect();
    let more = match others.len() {
        0 => "; no other command changes by it".to_owned(),
        count if count <= MOST_NAMED => format!("; it changes {} as well", others.join(", ")),
        count => format!("; it changes {} and {} more as well", others[..MOST_NAMED].join(", "), count - MOST_NAMED),
    };
    Some(format!("run {}{more}", suggested(context.system, "path move {} --before {}", &[folder, before])))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::os;
    use crate::system::System;

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
        let context = LookupContext { path, ..LookupContext::new(System::Unix) };
        let told = promotion("t", &folder("c").join("t"), &context).unwrap();
        assert!(told.contains("/c --before") && told.ends_with("/a'; it changes u as well"), "{told}");
        assert!(promotion("t", &folder("d").join("t"), &context).unwrap().ends_with("no other command changes by it"));
        assert_eq!(promotion("t", &folder("a").join("t"), &context), None, "it wins already");
        assert_eq!(promotion("t", &folder("b").join("t"), &context), None, "it is not there");
    }
}
