//! `history`: what was changed, newest first.

use serde::Serialize;
use similar::TextDiff;

use crate::change::{Content, LedgerContents, LedgerError, Operation, Record, Role, State, StoredValue};
use crate::error::classified;
use crate::report::{Report, report_body};
use crate::session::{JobError, Session};

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct History {
    pub changes: Vec<ChangeTold>,
    /// How many older ones the archive has beside these.
    pub archived: u64,
    /// The numbers of lines of the ledger that can't be read; the next change sets them aside.
    pub damaged_lines: Vec<usize>,
}

report_body!(History = "history");

#[derive(Debug, thiserror::Error)]
pub enum HistoryError {
    #[error("no change {0}")]
    NoChange(u64),
}

classified!(HistoryError {
    Self::NoChange(_) => Call, "to list the changes: wyard history";
});

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ChangeTold {
    /// Its number, when and how it was made, and how it stands.
    #[serde(flatten)]
    pub record: Record,
    pub undone: bool,
    pub touched: Vec<String>,
    /// What was there before and after; only where one change was asked for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub differences: Vec<Difference>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Difference {
    pub of: String,
    /// Whether it follows from the others, as the files do that startup files read.
    pub follows: bool,
    /// Before and after, as a unified diff.
    pub diff: String,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum HistoryRequest {
    /// Those that are not in the archive yet.
    Recent,
    All,
    One(u64),
}

pub fn run(session: &Session, request: HistoryRequest) -> Result<Report<History>, JobError> {
    let ledger = session.yard.ledger();
    let (contents, id) = match request {
        HistoryRequest::Recent => (ledger.read()?, None),
        HistoryRequest::All => (ledger.read_all()?, None),
        HistoryRequest::One(id) => (ledger.read_back_to(id)?, Some(id)),
    };
    let (undone, archived) = (contents.taken_back(), contents.first_id() - 1);
    let mut changes = Vec::new();
    for record in contents.records.iter().rev().filter(|record| id.is_none_or(|id| id == record.id)).cloned() {
        let whole = id.map(|_| ledger.operations(&record)).transpose().map_err(LedgerError::from)?;
        changes.push(ChangeTold {
            undone: record.state == State::Done && undone.contains(&record.id),
            touched: touched(&contents, &record),
            differences: whole.unwrap_or_default().iter().filter_map(difference).collect(),
            record,
        });
    }
    match id.filter(|_| changes.is_empty()) {
        Some(id) => Err(HistoryError::NoChange(id).into()),
        None => Ok(Report::new(History { changes, archived, damaged_lines: contents.damaged })),
    }
}

/// What a change touched, in words; of one that has parts, these.
fn touched(contents: &LedgerContents, record: &Record) -> Vec<String> {
    let mut parts = contents.parts(record.id).map(|part| part.id);
    match (parts.next(), parts.next_back()) {
        (Some(first), Some(last)) => vec![format!("its parts: changes {first} to {last}")],
        (Some(only), None) => vec![format!("its part: change {only}")],
        (None, _) => record.operations.iter().filter_map(Operation::describe).collect(),
    }
}

fn difference(operation: &Operation) -> Option<Difference> {
    let text = |content: &Option<Content>| {
        content.as_ref().map(|c| String::from_utf8_lossy(&c.bytes()).into_owned()).unwrap_or_default()
    };
    let (of, before, after) = match operation {
        Operation::File { role: Role::Backup, .. } | Operation::Folder { .. } | Operation::Move { .. } => return None,
        Operation::File { path, before, after, .. } | Operation::Startup { path, before, after, .. } => {
            (path.display().to_string(), text(before), text(after))
        }
        Operation::Value { scope, name, before, after } => {
            // One entry a line shows what a long list has in common.
            let lines = |value: &Option<StoredValue>| {
                let text = value.as_ref().and_then(StoredValue::text).unwrap_or_default();
                text.split(';').map(|part| format!("{part}\n")).collect::<String>()
            };
            (format!("{name} of the {} environment", scope.as_str()), lines(before), lines(after))
        }
    };
    let diff = TextDiff::from_lines(&before, &after).unified_diff().context_radius(2).to_string();
    let follows = matches!(operation, Operation::File { role: Role::Generated, .. });
    Some(Difference { of, follows, diff })
}
