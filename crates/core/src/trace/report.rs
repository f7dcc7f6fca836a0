//! The report of a trace.

use std::io::Read as _;
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::finding::Finding;
use crate::given;
use crate::path_list::is_spelled_alike;
use crate::program::HEAD_BYTES;
use crate::report::{ReportPath, report_body};
use crate::resolve::{self, Caller, Kind, Reason, Standing};
use crate::shells::{StartMode, TerminalKind};
use crate::system::System;
use crate::terminal::{Evidence, Origin};

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct TracedCommands {
    pub commands: Vec<CommandTrace>,
    /// How terminals were asked, and their raw answers, where that was wanted.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub evidence: Vec<Evidence>,
}

report_body!(TracedCommands = "trace");

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct CommandTrace {
    pub name: String,
    /// Caller by caller; where a shell answers differently by the way it is started, once for each answer.
    pub callers: Vec<CallerTrace>,
    /// Where nothing has the name, commands that are there and nearest to it.
    pub nearest: Vec<String>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct CallerTrace {
    pub caller: Caller,
    pub terminal: TerminalKind,
    /// The ways of starting that this is true for; empty for this terminal and for callers that are no shell.
    pub modes: Vec<StartMode>,
    /// Whether the shell itself was asked.
    pub proved: bool,
    /// The file that runs; null where none does, or the shell itself answers.
    pub winner: Option<ReportPath>,
    pub kind: Kind,
    pub candidates: Vec<CandidateTrace>,
    pub findings: Vec<Finding>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct CandidateTrace {
    #[serde(skip)]
    pub file: PathBuf,
    /// The file, lossy.
    pub path: String,
    /// Its exact bytes in hex, where it is not Unicode.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub path_bytes: Option<String>,
    /// The entry of PATH it comes from, as written.
    pub entry: Option<ReportPath>,
    /// The place of that entry, from 0.
    pub entry_index: Option<usize>,
    /// What put that entry into PATH; null where nobody can say, and for this terminal.
    pub origin: Option<Origin>,
    pub standing: Standing,
    pub reason: Option<Reason>,
    /// The file that all links on the way lead to, where it is another.
    pub leads_to: Option<ReportPath>,
    /// The place in this list of an earlier candidate that is the same file.
    pub same_as: Option<usize>,
    /// For a script, the first program with a full path that it starts.
    pub starts: Option<String>,
    /// The version it states, where that was asked for.
    pub version: Option<String>,
}

impl CandidateTrace {
    /// The candidates in their order, the same file reached again marked.
    pub(super) fn list(candidates: &[resolve::Candidate], system: System) -> Vec<Self> {
        let mut list: Vec<Self> = Vec::with_capacity(candidates.len());
        for candidate in candidates {
            let mut one = Self::of(candidate, system);
            let same = |earlier: &resolve::Candidate| resolve::same_file(&earlier.path, &candidate.path);
            one.same_as = candidates[..list.len()].iter().position(same);
            list.push(one);
        }
        list
    }

    fn of(candidate: &resolve::Candidate, system: System) -> Self {
        let path = ReportPath::from(candidate.path.clone());
        Self {
            file: candidate.path.clone(),
            path_bytes: path.exact(),
            path: path.text().into_owned(),
            entry: candidate.entry.as_ref().map(|(raw, _)| raw.clone().into()),
            entry_index: candidate.entry.as_ref().map(|(_, index)| *index),
            origin: None,
            standing: candidate.standing,
            reason: candidate.reason,
            leads_to: leads_to(&candidate.path, system),
            same_as: None,
            starts: started_by(&candidate.path),
            version: None,
        }
    }
}

impl CommandTrace {
    /// Whether any caller finds something of the name.
    pub fn is_answered(&self) -> bool {
        self.callers.iter().any(|t| t.kind != Kind::None)
    }
}

/// The file that all links lead to, where it is another one.
fn leads_to(path: &Path, system: System) -> Option<ReportPath> {
    let real = path.canonicalize().ok()?;
    // Windows writes such a path in its longest form ("Naming Files, Paths, and Namespaces").
    let real = real.to_str().and_then(|text| text.strip_prefix(r"\\?\")).map_or(real.clone(), PathBuf::from);
    let same = is_spelled_alike(&real, path, system);
    (!same).then(|| real.into())
}

/// The first full path that begins a command in a short script, or that it hands over to: what a wrapper leads to.
fn started_by(script: &Path) -> Option<String> {
    let mut head = Vec::new();
    given::open(script).ok()?.take(HEAD_BYTES as u64).read_to_end(&mut head).ok()?;
    let text = std::str::from_utf8(&head).ok().filter(|text| text.starts_with("#!"))?;
    let command = |line: &str| {
        let line = line.trim();
        let first = line.strip_prefix("exec ").unwrap_or(line).trim_start().trim_start_matches(['"', '\'']);
        let path = first.split(['"', '\'', ' ', '\t', ';']).next()?;
        (path.len() > 1 && path.starts_with('/')).then(|| path.to_owned())
    };
    text.lines().skip(1).find_map(command)
}
