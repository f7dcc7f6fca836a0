//! The document.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::survey::RecordedSurvey;
use crate::facts::MachineFacts;
use crate::report::report_body;
use crate::resolve::{FileKind, Kind};
use crate::system::System;

/// The format number of the document.
pub const FORMAT: u32 = 1;

/// A machine as its new terminals have it. The user's home is `~` in every path; names of users and of the machine are not in
/// it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct Snapshot {
    /// The format number.
    pub snapshot: u32,
    /// When it was made (RFC 3339).
    pub taken: String,
    /// The version of the program that made it.
    pub made_by: String,
    /// What the user calls the machine.
    pub name: Option<String>,
    /// The system: `linux`, `macos` or `windows`.
    pub system: String,
    /// The processor, as archives write it.
    pub processor: String,
    /// The extensions of PATHEXT, in order; Windows only.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub path_extensions: Vec<String>,
    /// The Windows folder.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub system_root: Option<String>,
    /// What the machine is and has; absent in early snapshots.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub machine: Option<MachineFacts>,
    /// The kinds of new terminals, the login shell's first.
    pub terminals: Vec<RecordedTerminal>,
    /// The folders in their PATHs.
    pub folders: Vec<RecordedFolder>,
    /// The variables that point to tools.
    pub variables: BTreeMap<String, String>,
    /// What the stores hold: values of the registry, or lines of startup files that touch PATH or these variables.
    pub stores: Vec<RecordedStore>,
    /// The yard's folder.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub yard: Option<String>,
    /// The tools of the yard.
    pub tools: Vec<RecordedTool>,
    /// What a survey of PATH found; absent in early snapshots.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub survey: Option<RecordedSurvey>,
}

report_body!(Snapshot = "snapshot");

/// A kind of new terminal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct RecordedTerminal {
    /// The shell.
    pub shell: String,
    /// The ways of starting it that have this PATH.
    pub modes: Vec<String>,
    /// PATH, entry by entry; empty where it did not answer.
    pub entries: Vec<RecordedEntry>,
    /// How many of the first entries are the system's; Windows only.
    #[serde(default, skip_serializing_if = "is_none")]
    pub of_system: usize,
    /// Whether it answered.
    pub answered: bool,
}

// serde asks by reference.
#[allow(clippy::trivially_copy_pass_by_ref)]
fn is_none(number: &usize) -> bool {
    *number == 0
}

/// An entry of PATH.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct RecordedEntry {
    /// As written; a `~` that nobody has expanded has a backslash before it.
    pub raw: String,
    /// The file, or the registry's key and value, that puts it there; null where nobody can say.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub origin: Option<String>,
    /// The line in that file, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<u32>,
    /// The tool whose command folder it is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tool: Option<String>,
}

/// A folder of PATH.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct RecordedFolder {
    /// The folder.
    pub folder: String,
    /// Where its links lead to, where that is another folder.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub leads_to: Option<String>,
    /// Whether it is there.
    pub exists: bool,
    /// Whether it belongs to the system.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_of_system: bool,
    /// What lies in it; on Windows only what has one of the extensions that are tried, or none.
    pub files: Vec<RecordedFile>,
}

/// A file, folder or link in a folder of PATH.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct RecordedFile {
    /// Its name.
    pub name: String,
    /// What it is, links followed; absent for a program.
    #[serde(default = "program", skip_serializing_if = "is_program")]
    pub kind: FileKind,
    /// Its size in bytes; absent for none.
    #[serde(default, skip_serializing_if = "is_empty")]
    pub bytes: u64,
    /// The file that all links on the way lead to, where it is another.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub leads_to: Option<String>,
    /// The SHA-256 of its content; only of programs outside the system's folders.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sha256: Option<String>,
    /// The version it states, or its card does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub version: Option<String>,
}

#[allow(clippy::trivially_copy_pass_by_ref)]
fn is_empty(bytes: &u64) -> bool {
    *bytes == 0
}

// serde asks by reference.
#[allow(clippy::trivially_copy_pass_by_ref)]
fn is_program(kind: &FileKind) -> bool {
    *kind == FileKind::Program
}

pub(super) fn program() -> FileKind {
    FileKind::Program
}

/// What a store holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct RecordedStore {
    /// The startup file, or the scope of the registry's environment.
    pub place: String,
    /// The line, from 1, or null for a value of the registry.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<usize>,
    /// The name of the value.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub value: Option<String>,
    /// The value's type number ("Registry Value Types").
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kind: Option<u32>,
    /// The text.
    pub text: String,
}

/// A tool of the yard.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct RecordedTool {
    /// The tool.
    pub name: String,
    /// Its version.
    pub version: String,
    /// Whether it is the version in use.
    pub in_service: bool,
    /// Whose PATH it is registered in; null for none.
    pub registered: Option<String>,
    /// Its commands.
    pub commands: Vec<String>,
    /// Its home; absent in early snapshots.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub home: Option<String>,
    /// The variables that point to it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub home_variables: Vec<String>,
    /// When it was received (RFC 3339).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub received: Option<String>,
    /// The commands that in some new terminal are not its own; absent where no terminal was asked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub others: Option<Vec<RecordedOther>>,
}

/// A command of a tool that means something else in a new terminal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct RecordedOther {
    /// The command.
    pub command: String,
    /// What answers.
    pub kind: Kind,
    /// The file that runs; absent where none does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<String>,
}

impl RecordedEntry {
    /// An entry that begins with a `~` that nobody has expanded, with a backslash before it: a bare `~` is the home.
    pub(super) fn escaped(raw: &str) -> Option<String> {
        (raw.starts_with('~') || raw.starts_with("\\~")).then(|| format!("\\{raw}"))
    }

    /// Such an entry as it is written in PATH.
    pub(super) fn literal(raw: &str) -> Option<&str> {
        raw.strip_prefix('\\').filter(|literal| literal.starts_with('~') || literal.starts_with("\\~"))
    }

    /// It as written in PATH, but for the home.
    pub fn written(&self) -> &str {
        Self::literal(&self.raw).unwrap_or(&self.raw)
    }
}

/// Whose rules hold on a recorded system.
pub(super) fn family(system: &str) -> System {
    if system == "windows" { System::Windows } else { System::Unix }
}

impl Snapshot {
    pub fn family(&self) -> System {
        family(&self.system)
    }
}
