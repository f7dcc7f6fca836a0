//! What happens to the stores, in words.

use std::path::Path;

use wagon_yard_core::scope::Scope;
use wagon_yard_core::store::{Action, RegistryChange, StartupChange, StoreChanges};
use wagon_yard_core::system::System;

use super::text::{Page, escape};

pub(super) fn scope(scope: Scope) -> &'static str {
    match scope {
        Scope::User => "the user's PATH",
        Scope::System => "the system's PATH",
    }
}

pub(super) fn goes_where(scope: Scope, page: &Page) -> String {
    match (scope, page.system()) {
        (Scope::System, System::Windows) => "in the system's PATH, after the Windows folders".to_owned(),
        _ => format!("first in {}", self::scope(scope)),
    }
}

pub(super) fn stores(changes: &StoreChanges, dry_run: bool, page: &Page) -> String {
    match page.system() {
        System::Unix => startup(&changes.startup_files, dry_run),
        System::Windows => registry(&changes.registry_values, dry_run),
    }
}

fn registry(changes: &[RegistryChange], dry_run: bool) -> String {
    let named = |removed: bool| -> Vec<String> {
        changes.iter().filter(|c| c.after.is_none() == removed).map(|c| escape(&c.name)).collect()
    };
    let mut parts = Vec::new();
    for (removed, done, planned) in [(false, "written", "to be written"), (true, "removed", "to be removed")] {
        let names = named(removed);
        if !names.is_empty() {
            parts.push(format!("{} {}", if dry_run { planned } else { done }, names.join(" and ")));
        }
    }
    if parts.is_empty() { "registry unchanged".to_owned() } else { format!("registry: {}", parts.join("; ")) }
}

fn startup(changes: &[StartupChange], dry_run: bool) -> String {
    let named = |action: Action| -> Vec<String> {
        changes
            .iter()
            .filter(|c| c.action == action)
            .map(|c| escape(&c.path.file_name().map_or(&*c.path, Path::new).to_string_lossy()))
            .collect()
    };
    let mut parts = Vec::new();
    for (action, done, planned) in [
        (Action::AddBlock, "block added to", "block would be added to"),
        (Action::Make, "made", "would be created:"),
        (Action::RemoveBlock, "block removed from", "block would be removed from"),
        (Action::Remove, "deleted, as nothing else was in it:", "would be deleted, as nothing else is in it:"),
    ] {
        let files = named(action);
        if !files.is_empty() {
            parts.push(format!("{} {}", if dry_run { planned } else { done }, files.join(", ")));
        }
    }
    if parts.is_empty() { "startup files unchanged".to_owned() } else { parts.join("; ") }
}
