//! What is known of commands and tools before anybody judges it: what terminals said, and what programs did.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::shown::Shown;
use crate::finding::Finding;
use crate::path_list::is_spelled_alike;
use crate::process::SealLevel;
use crate::resolve::{Candidate, Kind, same_file};
use crate::system::System;
use crate::terminal::{Again, Answer, NoAnswer, ShellReply};

pub(super) enum Evidence<'a> {
    Command(&'a CommandEvidence<'a>),
    Tool(&'a ToolEvidence<'a>),
    Variable { tool: &'a str, name: &'a str, answers: &'a [Answer] },
}

#[derive(Clone, Copy)]
pub(super) enum Role<'a> {
    Own {
        tool: &'a str,
        version: &'a str,
    },
    Stranger,
    /// Somebody's that a tool needs: whichever file it means.
    Required {
        by: &'a str,
    },
}

/// How a stated version that is not the tool's is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum VersionRule {
    Held,
    /// The command comes along with a tool, and has one of its own.
    OfItsOwn,
    Free,
}

pub(super) struct CommandEvidence<'a> {
    pub name: &'a str,
    pub role: Role<'a>,
    /// The file that should run; `None` where it may be any.
    pub file: Option<&'a Path>,
    /// Why nobody can start that file, as far as that is seen without starting it.
    pub hindrance: Option<Finding>,
    pub terminals: Vec<AtTerminal<'a>>,
    pub starts: Vec<Started>,
    /// The seal in which they are made.
    pub seal: SealLevel,
    pub version_rule: VersionRule,
    pub advice: &'a Advice,
}

/// What can be done where PATH does not lead to a tool.
#[derive(Default)]
pub(super) struct Advice {
    /// Whether the tool is registered.
    pub is_registered: bool,
    /// What to do about the line of a startup file that is in the way.
    pub line: Option<String>,
    /// Whether registering it again changes something.
    pub lacks_block: bool,
    /// The lines that could be why terminals of one kind differ, by what makes them differ.
    pub remembering: Option<String>,
    pub deferring: Option<String>,
}

/// What a name means in a terminal, the first time it was asked or later.
pub(super) struct AtTerminal<'a> {
    pub answer: &'a Answer,
    /// `None` for the first time.
    pub when: Option<Again>,
    pub said: Result<&'a ShellReply, &'a NoAnswer>,
    /// Whether the name was typed, and started the right file in the end.
    pub leads: bool,
    pub predicted: Arc<[Candidate]>,
    /// The file that runs, and whether that is the one that should.
    pub runs: Option<PathBuf>,
    pub ours: bool,
}

pub(super) struct Started {
    pub program: PathBuf,
    pub shown: Shown,
    /// Those terminals, by their places among those of the command.
    pub terminals: Vec<usize>,
}

pub(super) struct ToolEvidence<'a> {
    pub tool: &'a str,
    pub home: &'a Path,
    pub home_variables: Vec<String>,
    pub answers: &'a [Answer],
    pub commands: &'a [CommandEvidence<'a>],
    pub seen: Vec<Finding>,
}

impl<'a> CommandEvidence<'a> {
    /// Whether a file is the one that should run, or stands for it: on Windows a tool may bring the same command as a program
    /// and as scripts for several shells, and each caller takes the one that it can start.
    pub fn is_ours(&self, file: &Path, system: System) -> bool {
        let Some(own) = self.file else { return true };
        let is_beside = is_spelled_alike(&file.with_extension(""), &own.with_extension(""), system);
        system == System::Windows && matches!(self.role, Role::Own { .. }) && is_beside || same_file(file, own)
    }

    /// Adds what was said in a terminal: the first time, and later.
    pub fn add(&mut self, answer: &'a Answer, leads: bool, predicted: impl Fn(&'a ShellReply) -> Arc<[Candidate]>) {
        let first = std::iter::once((None, answer.said.as_ref()));
        for (when, said) in first.chain(answer.later.iter().map(|later| (Some(later.when), later.said.as_ref()))) {
            let mut seen = AtTerminal { answer, when, said, leads, predicted: Arc::new([]), runs: None, ours: false };
            if let Ok(said) = said {
                seen.predicted = predicted(said);
                let meaning = said.meaning(self.name);
                let is_file = match meaning.kind {
                    Kind::File => true,
                    Kind::Alias | Kind::Function => leads,
                    Kind::Builtin | Kind::None => false,
                };
                seen.runs = meaning.file.clone().filter(|_| is_file);
                seen.ours = seen.runs.as_ref().is_some_and(|file| self.is_ours(file, answer.shell.system()));
            }
            self.terminals.push(seen);
        }
    }

    /// The file that runs: another one, where a terminal runs another one.
    pub fn winner(&self) -> Option<&Path> {
        let runs = |is_ours: bool| {
            self.terminals.iter().filter(move |seen| seen.ours == is_ours).find_map(|seen| seen.runs.as_deref())
        };
        runs(false).or_else(|| runs(true).map(|found| self.file.unwrap_or(found)))
    }

    pub fn stated(&self) -> impl Iterator<Item = &str> {
        self.starts.iter().filter_map(|started| started.shown.version.as_deref())
    }

    /// Whether the first version was read in a file.
    pub fn is_read(&self) -> bool {
        self.starts.iter().find(|started| started.shown.version.is_some()).is_some_and(|started| started.shown.is_read)
    }
}
