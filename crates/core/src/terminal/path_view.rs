//! PATH as a terminal has it, entry by entry.

use std::cell::OnceCell;
use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::path::PathBuf;

use super::answer::{Answer, Question, ShellReply};
use super::asking::Asking;
use super::differences::{leading, tell_other_paths};
use super::installed::login_shell_among;
use super::origin::{Found, Origin};
use super::windows::background;
use crate::error::FileError;
use crate::finding::Finding;
use crate::machine::Machine;
use crate::path_list::{PathList, is_spelled_alike, windows};
use crate::resolve::LookupContext;
use crate::scope::Scope;
use crate::store::registry::Background;
use crate::system::System;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PathPart {
    /// Whose; on Unix PATH is not kept by scope, and all is the user's.
    pub scope: Scope,
    pub raw: OsString,
    pub folder: PathBuf,
    /// Which entry of its scope it belongs to: on Windows one may be several folders.
    pub entry: usize,
    /// Whether nothing but this entry decides what it is.
    pub stands_alone: bool,
    /// What put it there; `None` where nobody can say, or nobody asked.
    pub origin: Option<Origin>,
}

/// Whether it is found out what put each entry there, which takes the start of another shell.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Origins {
    Traced,
    Left,
}

#[derive(Debug, Clone)]
pub struct PathView {
    pub parts: Vec<PathPart>,
    pub context: LookupContext,
    /// What the terminals see that have another PATH.
    pub others: Vec<LookupContext>,
    pub variables: BTreeMap<String, OsString>,
    /// Where new terminals differ, and which gave no answer.
    pub findings: Vec<Finding>,
}

impl PathView {
    /// As the terminal has it that the program was started in.
    pub fn of_this_terminal(machine: &Machine, names: &[String]) -> Self {
        let context = LookupContext::of(&machine.environment, &machine.current_folder);
        let value = |name: &String| Some((name.clone(), machine.environment.get(name)?.to_owned()));
        Self {
            parts: parts(&context, &[]),
            context,
            others: Vec::new(),
            variables: names.iter().filter_map(value).collect(),
            findings: Vec::new(),
        }
    }

    /// As a new terminal has it: on Unix what the login shell says, on Windows what the registry holds. `None`
    /// where no shell gave an answer.
    pub fn of_new_terminal(asking: &Asking<'_>, names: &[String], origins: Origins) -> Result<Option<Self>, FileError> {
        if asking.machine.system() == System::Windows {
            return Ok(Some(Self::in_registry(asking.machine, names)?));
        }
        let answers = asking.everywhere(Question { commands: &[], variables: names });
        Ok(Self::of_answers(asking, &answers, origins))
    }

    /// What shells have said of a new terminal, when they were asked everywhere; `None` where none gave an answer.
    pub fn of_answers(asking: &Asking<'_>, answers: &[Answer], origins: Origins) -> Option<Self> {
        let login_shell = login_shell_among(asking.machine, asking.shells);
        let (answer, said) = leading(answers, login_shell)?;
        let origins = match origins {
            Origins::Left => Vec::new(),
            Origins::Traced => traced(asking, answer, said),
        };
        let mut others: Vec<LookupContext> = Vec::new();
        for other in answers.iter().filter_map(|answer| answer.said.as_ref().ok()).map(|said| &said.context) {
            if other.path != said.context.path && others.iter().all(|known| known.path != other.path) {
                others.push(other.clone());
            }
        }
        Some(Self {
            parts: parts(&said.context, &origins),
            context: said.context.clone(),
            others,
            variables: said.variables.clone(),
            findings: tell_other_paths(answers, said),
        })
    }

    /// What the registry gives a new terminal: the system's entries, then the user's.
    fn in_registry(machine: &Machine, names: &[String]) -> Result<Self, FileError> {
        let background = background(machine)?;
        let environment = background.environment();
        let value = |name: &String| Some((name.clone(), environment.get(name)?.to_owned()));
        Ok(Self {
            parts: registry_parts(machine, &background),
            context: LookupContext::of(&environment, std::path::Path::new("")),
            others: Vec::new(),
            variables: names.iter().filter_map(value).collect(),
            findings: Vec::new(),
        })
    }

    /// The value of a variable that was asked about; `None` where it is not set.
    pub fn variable(&self, name: &str) -> Option<&OsStr> {
        self.variables.get(name).map(OsString::as_os_str)
    }
}

fn traced(asking: &Asking<'_>, answer: &Answer, said: &ShellReply) -> Vec<Option<Origin>> {
    let shell = asking.shells.iter().find(|shell| shell.shell == answer.shell);
    let path = &said.context.path;
    let origins = shell.map(|shell| asking.origins(shell, (answer.mode, &answer.base), path, &OnceCell::new()));
    origins.unwrap_or_default()
}

/// The entries of a PATH value whose references are filled in, with what is known of where they come from.
fn parts(context: &LookupContext, origins: &[Option<Origin>]) -> Vec<PathPart> {
    match context.system {
        System::Unix => PathList::parse(&context.path)
            .entries()
            .map(|entry| PathPart {
                scope: Scope::User,
                raw: entry.raw.clone(),
                folder: entry.folder(),
                entry: entry.index,
                stands_alone: true,
                origin: origins.get(entry.index).cloned().flatten(),
            })
            .collect(),
        System::Windows => windows::parts(&context.path.to_string_lossy())
            .into_iter()
            .enumerate()
            .filter(|(_, part)| !part.is_empty())
            .map(|(entry, part)| PathPart {
                scope: Scope::User,
                raw: part.into(),
                folder: windows::folder(part).into(),
                entry,
                stands_alone: true,
                origin: None,
            })
            .collect(),
    }
}

/// The folders of both scopes' entries, in the order of PATH; empty entries are left out.
fn registry_parts(machine: &Machine, background: &Background) -> Vec<PathPart> {
    let mut parts = Vec::new();
    for (scope, found) in [(Scope::System, Found::SystemRegistry), (Scope::User, Found::UserRegistry)] {
        let place = format!("{}, Path", machine.registry().of_scope(scope));
        for (at, entry) in background.entries(scope).into_iter().enumerate().filter(|(_, entry)| !entry.raw.is_empty())
        {
            for folder in entry.folders {
                let origin = Some(Origin { place: place.clone(), line: None, found });
                let (raw, stands_alone) = (entry.raw.clone().into(), entry.stands_alone);
                parts.push(PathPart { scope, raw, folder, entry: at, stands_alone, origin });
            }
        }
    }
    parts
}

/// For each part of a new terminal's PATH on Windows the value of the registry that it comes from.
pub fn registry_origins(machine: &Machine, path: &str) -> Vec<Option<Origin>> {
    let mut left = background(machine).map(|background| registry_parts(machine, &background)).unwrap_or_default();
    let one = |part: &str| {
        let folder = PathBuf::from(windows::folder(part));
        let at = left.iter().position(|known| is_spelled_alike(&known.folder, &folder, System::Windows))?;
        left.remove(at).origin
    };
    windows::parts(path).into_iter().map(one).collect()
}
