//! Which files of a tool can be typed as a command.

use std::path::{Path, PathBuf};

use super::command_folders;
use crate::archive::{Entry, EntryKind, Listing};
use crate::naming::extension_rank;
use crate::program::{Program, ProgramKind};
use crate::system::System;

/// The files and links below the home that could be typed as a command on a system, with their path from there.
pub(super) fn programs<'a>(listing: &'a Listing, home: &Path, system: System) -> Vec<(PathBuf, &'a Program)> {
    let link_ends = listing.link_ends();
    let program = |entry: &'a Entry| {
        let file = match &entry.kind {
            EntryKind::File => entry,
            EntryKind::Folder => return None,
            EntryKind::Link(_) => link_ends.get(entry.path.as_path()).filter(|e| e.kind == EntryKind::File)?,
        };
        let program = file.program.as_deref()?;
        let path = entry.path.below(home)?;
        let may_run = system == System::Windows || listing.executable(file);
        (may_run && is_command(path, program, system)).then(|| (path.to_owned(), program))
    };
    listing.entries.iter().filter_map(program).collect()
}

/// The machines that programs are for, in words.
pub(super) fn machines(programs: &[(PathBuf, &Program)]) -> String {
    let mut machines: Vec<String> = programs
        .iter()
        .map(|(_, program)| match (program.os, program.arch) {
            (Some(os), Some(arch)) => format!("they are for {os} on {arch}"),
            (Some(os), None) => format!("they are for {os}"),
            _ => "they are of an unknown kind".to_owned(),
        })
        .collect();
    machines.sort();
    machines.dedup();
    machines.join(", ")
}

/// Tells what is to be typed from files that can run by accident or for another use.
fn is_command(path: &Path, program: &Program, system: System) -> bool {
    let name = path.file_name().unwrap_or_default().to_string_lossy().to_ascii_lowercase();
    if name.starts_with('.') || is_library(&name) {
        return false;
    }
    match (system, program.kind) {
        // The extension makes a program there; what lies in the file has to agree.
        (System::Windows, ProgramKind::Pe) => extension_rank(&name).is_some_and(|rank| rank < 2),
        (System::Windows, ProgramKind::Batch) => true,
        (System::Windows, _) => false,
        (System::Unix, ProgramKind::Elf | ProgramKind::Macho | ProgramKind::Script) => true,
        // Programs of the other system lie beside ours in many archives; here nobody can type them.
        (System::Unix, ProgramKind::Pe | ProgramKind::Batch) => false,
        // A text without `#!` is run by shells as a script; only a folder named for programs makes it likely.
        (System::Unix, ProgramKind::Other) => {
            program.is_text && !name.contains('.') && path.parent().is_some_and(command_folders::is_named_for_programs)
        }
    }
}

fn is_library(name: &str) -> bool {
    let has_ending = |ending: &str| Path::new(name).extension().is_some_and(|e| e == ending);
    name.contains(".so.") || ["so", "dylib", "dll", "a", "o", "jar"].into_iter().any(has_ending)
}
