//! Looking for tools that are in place and not on record.

use std::path::{Path, PathBuf};

use super::report::{FoundTool, FoundTools};
use crate::environment::Environment;
use crate::folders::{SystemFolders, tool_places};
use crate::layout::tool_in_place;
use crate::naming;
use crate::path_list::lies_in;
use crate::report::Report;
use crate::resolve::{LookupContext, same_file};
use crate::session::{JobError, Session};

/// Looks through the usual places and a new terminal's PATH for tools that are not on record.
pub fn search(session: &Session) -> Result<Report<FoundTools>, JobError> {
    let (machine, system) = (&session.machine, session.system());
    let environment = session.asking()?.environment().unwrap_or_else(|| Environment::new(system));
    let context = LookupContext::of(&environment, &machine.home);
    let stock = session.stock()?;
    let known: Vec<PathBuf> = stock.iter().map(|card| session.yard.home_of(card)).collect();
    let of_system = SystemFolders::of(&machine.environment);
    let mut roots: Vec<(PathBuf, bool)> = Vec::new();
    for entry in context.folders() {
        if of_system.hold_real(&entry) || entry.starts_with("/usr/local") && entry.components().count() == 4 {
            continue;
        }
        let named_bin = entry.file_name().is_some_and(|n| ["bin", "cmd", "Scripts"].iter().any(|b| n == *b));
        let root = if named_bin { entry.parent().map(Path::to_owned).unwrap_or(entry) } else { entry };
        roots.push((root, true));
    }
    let places = tool_places(machine);
    for place in &places {
        let inside = std::fs::read_dir(place).into_iter().flatten().flatten();
        let mut folders: Vec<PathBuf> = inside.map(|entry| entry.path()).filter(|path| path.is_dir()).collect();
        folders.sort();
        roots.extend(folders.into_iter().map(|folder| (folder, false)));
    }
    let mut found: Vec<FoundTool> = Vec::new();
    for (folder, in_path) in roots {
        session.bail_if_interrupted()?;
        let is_home = folder == machine.home || lies_in(&machine.home, &folder, system);
        if is_home || lies_in(&folder, session.yard.root(), system) {
            continue;
        }
        let Ok((root, layout)) = tool_in_place(&folder, &[], None, system) else { continue };
        if known.contains(&root) || found.iter().any(|tool| same_file(&tool.folder, &root)) {
            continue;
        }
        let guess = naming::guess(&root.file_name().unwrap_or_default().to_string_lossy());
        let commands = layout.commands.into_iter().map(|command| command.name).collect();
        found.push(FoundTool { folder: root.into(), name: guess.name, version: guess.version, commands, in_path });
    }
    let places = places.into_iter().map(Into::into).collect();
    Ok(Report::new(FoundTools { found, places }).with_findings(stock.findings()))
}
