//! What was changed, newest first.

use serde::Serialize;
use similar::TextDiff;

use super::undo::taken_back;
use super::{ReceiveError, UndoError};
use crate::machine::Machine;
use crate::yard::{Act, Content, Record, Role, State, Yard};

/// The report of `history`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct HistoryReport {
    /// The format number.
    pub format: u32,
    /// `history`.
    pub report: &'static str,
    /// The changes, newest first.
    pub changes: Vec<ChangeTold>,
    /// The numbers of lines of the ledger that can't be read; the next change sets them aside.
    pub damaged_lines: Vec<usize>,
}

/// One change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ChangeTold {
    /// Its number, when and how it was made, and how it stands.
    #[serde(flatten)]
    pub record: Record,
    /// Whether it has been taken back.
    pub undone: bool,
    /// What it touched, in words.
    pub touched: Vec<String>,
    /// What was there before and after; only where one change was asked for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub differences: Vec<Difference>,
}

/// What a change did to one thing.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Difference {
    /// The file or value.
    pub of: String,
    /// Whether it follows from the others, as the files do that startup files read.
    pub follows: bool,
    /// Before and after, as a unified diff.
    pub diff: String,
}

/// Lists the changes, or tells one of them in full.
///
/// # Errors
/// When the ledger cannot be read, or has no such change.
pub fn history(machine: &Machine, id: Option<u64>) -> Result<HistoryReport, UndoError> {
    let told = Yard::of(machine).ledger().read().map_err(ReceiveError::from)?;
    let undone = taken_back(&told);
    let wanted = |record: &&Record| id.is_none_or(|id| id == record.id);
    let changes: Vec<ChangeTold> = told
        .records
        .iter()
        .rev()
        .filter(wanted)
        .map(|record| ChangeTold {
            undone: record.state == State::Done && undone.contains(&record.id),
            touched: record.acts.iter().filter_map(Act::words).collect(),
            differences: id.map(|_| record.acts.iter().filter_map(difference).collect()).unwrap_or_default(),
            record: record.clone(),
        })
        .collect();
    match id.filter(|_| changes.is_empty()) {
        Some(id) => Err(UndoError::NoChange(id)),
        None => Ok(HistoryReport { format: 1, report: "history", changes, damaged_lines: told.damaged }),
    }
}

fn difference(act: &Act) -> Option<Difference> {
    let text = |content: &Option<Content>| {
        content.as_ref().map(|c| String::from_utf8_lossy(&c.bytes()).into_owned()).unwrap_or_default()
    };
    let (of, before, after) = match act {
        Act::File { role: Role::Backup, .. } | Act::Folder { .. } | Act::Move { .. } => return None,
        Act::File { path, before, after, .. } | Act::Startup { path, before, after, .. } => {
            (path.display().to_string(), text(before), text(after))
        }
        Act::Value { scope, name, before, after } => {
            // One entry a line shows what a long list has in common.
            let lines = |value: &Option<crate::yard::StoredValue>| {
                let text = value.as_ref().and_then(|value| value.text.clone()).unwrap_or_default();
                text.split(';').map(|part| format!("{part}\n")).collect::<String>()
            };
            (format!("{name} of the {} environment", scope.as_str()), lines(before), lines(after))
        }
    };
    let diff = TextDiff::from_lines(&before, &after).unified_diff().context_radius(2).to_string();
    let follows = matches!(act, Act::File { role: Role::Generated, .. });
    Some(Difference { of, follows, diff })
}
