//! The smallest change of order that makes the wanted copy of a command win.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use super::meanings::Commands;
use crate::path_list::lies_in;
use crate::resolve::{self, Caller, Disk, LookupContext, same_file};
use crate::suggestion::suggested;
use crate::system::System;

/// At most this many other commands are named.
const MOST_NAMED: usize = 5;

/// What to do so that `name` means `wanted`, which is in PATH behind another copy: the entry that holds it goes directly
/// before the one that wins now. Named are the other commands that this changes. `None` where that would not help.
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
    if first < context.of_system && ours >= context.of_system {
        after.remove(first);
        return Some(across_scopes(before, &also_changes(name, context.system, &folders, &after), context));
    }
    let moved = after.remove(ours);
    after.insert(first, moved);
    let more = also_changes(name, context.system, &folders, &after);
    let (who, whose) =
        if ours < context.of_system { ("as an administrator, run ", " --scope system") } else { ("run ", "") };
    let template = format!("path move {{}} --before {{}}{whose}");
    Some(format!("{who}{}{more}", suggested(context.system, &template, &[folder, before])))
}

/// What helps where the system's PATH holds the winner, and the user's the wanted one: no move brings it in front.
fn across_scopes(before: &Path, more: &str, context: &LookupContext) -> String {
    let of_windows = context.system_root.as_ref().is_some_and(|root| lies_in(before, root, context.system));
    if of_windows {
        return "the system's PATH comes before yours; use this one by its full path".to_owned();
    }
    // An entry of a tool goes with its registration only.
    let remove = match tool_for_everybody(before) {
        Some(tool) => suggested(context.system, "unregister {} --scope system", &[tool]),
        None => suggested(context.system, "path drop {} --scope system", &[before]),
    };
    format!("the system's PATH comes before yours; as an administrator, run {remove}{more}")
}

/// The tool that a folder of everybody's yard belongs to: there it is `Wagon Yard\stock\NAME\VERSION`.
fn tool_for_everybody(folder: &Path) -> Option<&OsStr> {
    let names: Vec<&OsStr> = folder.iter().collect();
    let is_yard = |three: &&[&OsStr]| three[0] == "Wagon Yard" && three[1] == "stock";
    names.windows(3).find(is_yard).map(|three| three[2])
}

/// The other commands that mean another file afterwards, in words.
fn also_changes(name: &str, system: System, before: &[PathBuf], after: &[PathBuf]) -> String {
    let changes = Commands::new(system).changes(before, after);
    let others: Vec<&str> = changes.iter().map(|c| c.name.as_str()).filter(|other| *other != name).collect();
    match others.len() {
        0 => "; no other command changes".to_owned(),
        count if count <= MOST_NAMED => format!("; this also changes {}", others.join(", ")),
        count => format!("; this also changes {} and {} more", others[..MOST_NAMED].join(", "), count - MOST_NAMED),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::os;

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
        let moved = suggested(System::Unix, "path move {} --before {}", &[&folder("c"), &folder("a")]);
        assert_eq!(told, format!("run {moved}; this also changes u"));
        assert!(promotion("t", &folder("d").join("t"), &context).unwrap().ends_with("no other command changes"));
        let system = LookupContext { of_system: 2, ..context.clone() };
        let told = promotion("t", &folder("d").join("t"), &system).unwrap();
        assert!(told.contains("as an administrator") && told.contains("path drop") && told.contains("/a"), "{told}");
        let told = promotion("t", &folder("c").join("t"), &LookupContext { system_root: Some(folder("a")), ..system });
        assert!(told.unwrap().ends_with("full path"), "the folder of the system itself stays");
        assert_eq!(tool_for_everybody(Path::new("/p/Wagon Yard/stock/knot/1.0/bin")), Some("knot".as_ref()));
        assert_eq!(tool_for_everybody(Path::new("/p/Wagon Yard")), None);
        assert_eq!(promotion("t", &folder("a").join("t"), &context), None, "it wins already");
        assert_eq!(promotion("t", &folder("b").join("t"), &context), None, "not found");
    }
}
