//! What can only be told of an entry when the others are seen as well.

use std::collections::HashMap;
use std::path::PathBuf;

use super::entries::{Entry, Inspected};
use crate::finding::{Code, Finding};
use crate::folders::SystemFolders;
use crate::os;
use crate::resolve::same_file;
use crate::scope::Scope;
use crate::system::System;

/// Tells the entries that lead to the same folder as an earlier one.
pub(super) fn tell_duplicates(entries: &[Entry], seen: &mut [Inspected]) {
    let mut first: HashMap<PathBuf, &Entry> = HashMap::new();
    for (entry, seen) in entries.iter().zip(seen) {
        let Some(place) = entry.folder.canonicalize().ok().filter(|_| !entry.raw.is_empty()) else { continue };
        match first.get(&place) {
            Some(earlier) => {
                let (raw, earlier) = (entry.raw.to_string_lossy(), earlier.raw.to_string_lossy());
                let seen_words = if raw == earlier {
                    format!("{raw} is already in PATH, earlier")
                } else {
                    format!("{raw} is the same folder as {earlier}, earlier in PATH")
                };
                // What was told of the first need not be told again.
                let remedy = "run 'wyard path tidy'";
                seen.findings = vec![Finding::new(Code::DuplicateEntry, seen_words).remedy(remedy)];
                seen.commands.clear();
            }
            None => _ = first.insert(place, entry),
        }
    }
}

/// Tells a root that holds no command where PATH has its `bin` as well.
pub(super) fn tell_root_and_bin(entries: &[Entry], seen: &mut [Inspected], system: System) {
    for at in 0..entries.len() {
        let bin = entries[at].folder.join("bin");
        let told = seen[at].findings.iter().position(|f| f.code == Code::BinBelow);
        if let Some(told) = told
            && entries.iter().any(|entry| same_file(&entry.folder, &bin))
        {
            let words = format!("{} has no commands; its bin folder is in PATH too", entries[at].raw.to_string_lossy());
            let finding = Finding::new(Code::RootAndBin, words);
            seen[at].findings[told] = match entries[at].to_drop(system) {
                Some(remedy) => finding.remedy(remedy),
                None => finding,
            };
        }
    }
}

/// Tells the folders that others may write to: whoever can put a program there decides what you run.
pub(super) fn tell_writable(entries: &[Entry], seen: &mut [Inspected], system_folders: &SystemFolders) {
    let last_of_system = entries.iter().rposition(|entry| system_folders.hold(&entry.folder));
    for (at, (entry, seen)) in entries.iter().zip(seen).enumerate() {
        let told = seen.findings.iter().any(|finding| finding.code == Code::DuplicateEntry);
        // What is in every user's PATH is searched by administrators as well.
        let untrusted = match entry.scope {
            Scope::User => os::untrusted_on_way(&entry.folder),
            Scope::System => os::untrusted_for_everybody(&entry.folder),
        };
        let others = os::others_may_write(&entry.folder) || untrusted.is_some();
        if seen.exists && !told && others {
            let before = if last_of_system.is_some_and(|last| at < last) {
                ", which comes before the system's folders"
            } else {
                ""
            };
            let words = format!("another user can put programs into {}{before}", entry.folder.display());
            let remedy = "remove write access for other users, or remove the entry";
            seen.findings.push(Finding::new(Code::WritableByOthers, words).remedy(remedy));
        }
    }
}
