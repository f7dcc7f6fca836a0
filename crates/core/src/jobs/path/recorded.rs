//! PATH of a recorded machine.

use super::lines::{PathLine, by_scope};
use super::report::{PathAction, PathState};
use crate::path_list::is_spelled_alike;
use crate::report::{Report, ReportPath};
use crate::scope::Scope;
use crate::snapshot::{Lookup, RecordedEntry, RecordedEntrySurvey, Snapshot, SnapshotError};
use crate::terminal::{Found, Origin};

/// PATH of a new terminal on the machine of a snapshot.
pub fn recorded(snapshot: &Snapshot) -> Result<Report<PathState>, SnapshotError> {
    let lookup = Lookup::new(snapshot);
    let first = lookup.terminals().next();
    let (_, terminal) = first.ok_or_else(|| SnapshotError::not_recorded(snapshot, "PATH"))?;
    let line = |entry: &RecordedEntry| PathLine {
        raw: ReportPath::from(entry.written()),
        expanded: ReportPath::from(lookup.entry_folder(entry)),
        exists: lookup.folder(entry).is_some_and(|folder| folder.exists),
        tool: entry.tool.clone(),
        origin: entry.origin.as_ref().map(|place| Origin {
            place: place.clone(),
            line: entry.line,
            found: Found::Recorded,
        }),
        entry: 0,
        stands_alone: true,
    };
    let of_terminal: Vec<PathLine> = terminal.entries.iter().map(line).collect();
    let scope = |at: usize| if at < terminal.of_system { Scope::System } else { Scope::User };
    let lines: Vec<(Scope, PathLine)> = match &snapshot.survey {
        None => of_terminal.into_iter().enumerate().map(|(at, line)| (scope(at), line)).collect(),
        // On Windows a survey has the values of the registry as they are written there.
        Some(survey) => {
            survey.entries.iter().map(|entry| (entry.scope, surveyed(entry, &of_terminal, snapshot))).collect()
        }
    };
    // A snapshot does not say which of them belong together.
    let apart = lines.into_iter().enumerate().map(|(entry, (scope, line))| (scope, PathLine { entry, ..line }));
    let scopes = by_scope(apart);
    Ok(Report::new(PathState { scopes, ..PathState::new(PathAction::Show, false) }))
}

/// An entry as a survey saw it, with what is known of the same one in a terminal.
fn surveyed(entry: &RecordedEntrySurvey, of_terminal: &[PathLine], snapshot: &Snapshot) -> PathLine {
    let is_it = |line: &&PathLine| is_spelled_alike(&line.expanded, entry.expanded.as_ref(), snapshot.family());
    let known = of_terminal.iter().find(is_it);
    PathLine {
        raw: ReportPath::from(entry.raw.as_str()),
        expanded: ReportPath::from(entry.expanded.as_str()),
        exists: entry.exists,
        tool: known.and_then(|line| line.tool.clone()),
        origin: known.and_then(|line| line.origin.clone()),
        entry: 0,
        stands_alone: true,
    }
}
