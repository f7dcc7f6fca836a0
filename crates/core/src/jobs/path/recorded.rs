//! PATH of a recorded machine.

use super::lines::{PathLine, by_scope};
use super::report::{PathAction, PathState};
use crate::report::{Report, ReportPath};
use crate::scope::Scope;
use crate::snapshot::{Lookup, Snapshot, SnapshotError};
use crate::terminal::{Found, Origin};

/// PATH of a new terminal on the machine of a snapshot.
///
/// # Errors
/// When no terminal had answered.
pub fn recorded(snapshot: &Snapshot) -> Result<Report<PathState>, SnapshotError> {
    let lookup = Lookup::new(snapshot);
    let first = lookup.terminals().next();
    let (_, terminal) = first.ok_or_else(|| SnapshotError::not_recorded(snapshot, "PATH"))?;
    let lines = terminal.entries.iter().enumerate().map(|(at, entry)| {
        let origin = entry.origin.as_ref();
        let origin = origin.map(|place| Origin { place: place.clone(), line: entry.line, found: Found::Recorded });
        let line = PathLine {
            raw: ReportPath::from(entry.written()),
            expanded: ReportPath::from(lookup.entry_folder(entry)),
            exists: lookup.folder(entry).is_some_and(|folder| folder.exists),
            tool: entry.tool.clone(),
            origin,
        };
        (if at < terminal.of_system { Scope::System } else { Scope::User }, line)
    });
    let scopes = by_scope(lines);
    Ok(Report::new(PathState { scopes, ..PathState::new(PathAction::Show, false) }))
}
