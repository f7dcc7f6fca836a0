//! What is asked of a shell, and what it says.

use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::path::PathBuf;
use std::time::Duration;

use super::evidence::Evidence;
use crate::environment::Environment;
use crate::os;
use crate::process::{Ending, Outcome, SealLevel, TerminalContext};
use crate::resolve::{Kind, LookupContext, Shell};
use crate::shells::{StartMode, Watch};

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Meaning {
    pub kind: Kind,
    /// The file that a search through PATH finds, whatever answers first.
    pub file: Option<PathBuf>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ShellReply {
    /// What its lookups depend on, PATH above all, after its startup files.
    pub context: LookupContext,
    pub meanings: BTreeMap<String, Meaning>,
    pub variables: BTreeMap<String, OsString>,
    pub environment: Environment,
    /// What else it sees of the terminal; `None` where that was not learned.
    pub terminal: Option<TerminalContext>,
    pub watch: Watch,
    /// PATH until the shell did what it does before a prompt, where that changed it.
    pub before_prompt: Option<OsString>,
    /// What starts the scripts of its own language, where it is a PowerShell.
    pub script_host: Option<ScriptHost>,
}

/// A PowerShell as what runs `.ps1` files: the system itself starts none.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ScriptHost {
    pub program: PathBuf,
    /// Its execution policy, which decides whether it runs them ("about_Execution_Policies").
    pub policy: String,
}

impl ShellReply {
    /// What a name means that was asked about; to one that was not, nothing answers.
    pub fn meaning(&self, name: &str) -> &Meaning {
        const NOTHING: &Meaning = &Meaning { kind: Kind::None, file: None };
        self.meanings.get(name).unwrap_or(NOTHING)
    }

    /// The value of a variable that was asked about; `None` where it is not set.
    pub fn variable(&self, name: &str) -> Option<&OsStr> {
        self.variables.get(name).map(OsString::as_os_str)
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NoAnswer {
    TimedOut,
    /// It ended before it answered; the last line it wrote to standard error.
    Ended(String),
    NotStarted(String),
    /// What kept it from the machine could not be made, or broke.
    NoSeal(String),
    /// It was not asked, since asking it would leave traces at this level.
    NotAsked(SealLevel),
    Interrupted,
}

impl NoAnswer {
    /// Why a shell whose answer is not in its output gave none.
    pub(super) fn of_ending(outcome: &Outcome) -> Self {
        match &outcome.ending {
            Ending::TimedOut => Self::TimedOut,
            Ending::Interrupted => Self::Interrupted,
            Ending::NotStarted(e) => Self::NotStarted(e.to_string()),
            Ending::NoSeal(why) => Self::NoSeal(why.clone()),
            Ending::Exited(_) => {
                let said = if outcome.stderr.is_empty() { &outcome.stdout } else { &outcome.stderr };
                Self::Ended(last_line(said))
            }
        }
    }
}

#[derive(Debug, Clone)]
pub struct Answer {
    pub shell: Shell,
    pub mode: StartMode,
    pub base: Environment,
    pub said: Result<ShellReply, NoAnswer>,
    /// What was said later: after some time, or in a second terminal that finds what the first has left.
    pub later: Vec<Later>,
    /// Whether something else took its place at a terminal, so that what it said is what it says elsewhere.
    pub taken: bool,
    pub seal: SealLevel,
    /// Why what it said may be wrong, since it could not write.
    pub doubt: Option<String>,
    pub took: Duration,
    /// How it was asked, and its raw answer, where that is kept; Unix only.
    pub evidence: Option<Box<Evidence>>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Again {
    /// At its next prompt, or after it was left alone for some time.
    NextPrompt,
    /// In a second terminal, which finds what the first has left behind.
    SecondTerminal,
}

#[derive(Debug, Clone)]
pub struct Later {
    pub when: Again,
    pub said: Result<ShellReply, NoAnswer>,
}

#[derive(Debug, Clone, Copy, Default)]
pub struct Question<'a> {
    pub commands: &'a [String],
    pub variables: &'a [String],
}

/// The last line that a shell wrote to standard error, or to its terminal, which also shows what was typed.
pub(super) fn last_line(stderr: &[u8]) -> String {
    let text = String::from_utf8_lossy(stderr);
    let typed = os::temporary_name(std::process::id());
    text.lines()
        .map(|line| line.trim_matches(|c: char| c.is_whitespace() || c.is_control()))
        .rfind(|line| !line.is_empty() && !line.contains(&typed))
        .unwrap_or_default()
        .chars()
        .take(200)
        .collect()
}
