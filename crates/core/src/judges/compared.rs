//! What really ran, held against what the lookup rules say.

use std::path::{self, Path, PathBuf};

use serde::Serialize;

use super::answer::Answer;
use super::machines::MadeMachine;
use super::windows;
use crate::resolve::{self, Caller, Disk, FileKind, FileView as _, LookupContext, Standing};
use crate::system::System;

/// At most this many disagreements of a caller are told in full.
const TOLD: usize = 20;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct JudgedCaller {
    pub caller: Caller,
    /// How many lookups were compared, and lists of all that a name could mean.
    pub compared: usize,
    pub wrong: usize,
    pub disagreements: Vec<Disagreement>,
    /// Why it could not be asked; null where it could, and where no time was left for it.
    pub no_answer: Option<String>,
}

/// A lookup that differed from the prediction, with all that is needed to repeat it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Disagreement {
    /// What was compared: `runs`, or `lists`.
    pub of: &'static str,
    pub seed: u64,
    /// The PATH, with `ROOT` for the machine's folder, and `BESIDE` for the one in which the home is.
    pub path: String,
    pub name: String,
    /// The files below the machine's folder, each with what it is.
    pub files: Vec<String>,
    /// What really ran, or was listed.
    pub theirs: String,
    /// What was predicted.
    pub ours: String,
}

impl JudgedCaller {
    pub(super) fn new(caller: Caller) -> Self {
        Self { caller, compared: 0, wrong: 0, disagreements: Vec::new(), no_answer: None }
    }

    pub(super) fn compare(
        &mut self,
        caller: Caller,
        machine: &MadeMachine,
        answer: &Answer,
        home: &Path,
        system: System,
    ) {
        let windows = system == System::Windows;
        let extensions = if windows { windows::EXTENSIONS } else { "" };
        let context = LookupContext {
            path: machine.path.clone().into(),
            path_extensions: extensions.split_terminator(';').map(str::to_lowercase).collect(),
            current_folder: machine.current.clone(),
            home: (!windows).then(|| home.to_owned()),
            program_folder: windows.then(|| machine.root.join(windows::STARTER_FOLDER)),
            system_root: std::env::var_os("SystemRoot").filter(|_| windows).map(PathBuf::from),
            ..LookupContext::new(system)
        };
        let candidates = resolve::candidates(caller, &machine.name, &context, &Disk);
        let real = |path: &Path| path.canonicalize().unwrap_or_default();
        let winner = resolve::winner(&candidates);
        if windows {
            let whole = winner.map(|winner| path::absolute(machine.current.join(winner)).unwrap_or_default());
            let ours = whole.unwrap_or_default().to_string_lossy().into_owned();
            let is_same = machine.below(&ours) == machine.below(&answer.ran);
            self.note("runs", machine, is_same, &answer.ran, &ours);
            return;
        }
        let ours = winner.map(real).unwrap_or_default();
        self.note("runs", machine, ours == Path::new(&answer.ran), &answer.ran, &ours.to_string_lossy());
        let Some(listed) = &answer.listed else { return };
        // bash lists a file that may not be executed where there is no other.
        let theirs = listed.iter().map(|path| real(&machine.current.join(path)));
        let theirs = once_each(theirs.filter(|file| Disk.look(file) == FileKind::Program));
        let run = candidates.iter().filter(|candidate| candidate.standing != Standing::Skipped);
        let ours = once_each(run.map(|candidate| real(&candidate.path)));
        self.note("lists", machine, theirs == ours, &format!("{theirs:?}"), &format!("{ours:?}"));
    }

    fn note(&mut self, of: &'static str, machine: &MadeMachine, is_same: bool, theirs: &str, ours: &str) {
        self.compared += 1;
        if is_same {
            return;
        }
        self.wrong += 1;
        if self.disagreements.len() < TOLD {
            let root = machine.root.to_string_lossy();
            let beside = machine.root.parent().unwrap_or(&machine.root).to_string_lossy();
            let short = |text: &str| text.replace(&*root, "ROOT").replace(&*beside, "BESIDE");
            self.disagreements.push(Disagreement {
                of,
                seed: machine.seed,
                path: short(&machine.path),
                name: short(&machine.name),
                files: machine.files.clone(),
                theirs: short(theirs),
                ours: short(ours),
            });
        }
    }

    /// Whether it was asked, and everything came out as predicted.
    pub fn held(&self) -> bool {
        self.compared > 0 && !self.failed()
    }

    /// Whether something came out otherwise, or it could not be asked; false where no time was left for it.
    pub fn failed(&self) -> bool {
        self.wrong > 0 || self.no_answer.is_some()
    }
}

/// The files without repetitions: some shells list a file that two entries lead to once.
fn once_each(files: impl Iterator<Item = PathBuf>) -> Vec<PathBuf> {
    let mut seen = Vec::new();
    for file in files {
        if !seen.contains(&file) {
            seen.push(file);
        }
    }
    seen
}
