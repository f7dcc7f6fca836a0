//! The rules that each shell has to have.

use std::path::{Path, PathBuf};

use super::start_mode::StartMode;
use super::startup_file::{Dialect, StartupFolders};
use super::watch::WatchLine;
use crate::environment::Environment;
use crate::resolve::{Kind, Shell};

/// Says whether a file is there and can be read.
pub type Readable<'a> = &'a dyn Fn(&Path) -> bool;

/// What a shell of Unix is asked, its parts in its own language.
pub struct Asked<'a> {
    /// What stands before and behind the answer; with an ending, before parts of it.
    pub marker: &'a str,
    pub mode: StartMode,
    /// What prints traps, timers and key bindings.
    pub watch: &'a str,
    /// The names, quoted.
    pub commands: &'a [String],
    /// What prints the variables that programs are handed.
    pub env: &'a str,
}

/// In which order kinds and files of the names are told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FieldOrder {
    /// Kind and file of each name.
    Pairs,
    /// The files of all, then the kinds of all.
    FilesFirst,
    KindsFirst,
}

/// A shell of Unix.
pub struct UnixRules {
    pub shell: Shell,
    /// What says that it is this shell that reads a line, in a language that all of them read: arguments of test(1).
    pub is_running: &'static str,
    pub dialect: Dialect,
    /// A word quoted so that the shell takes every byte of it as it is.
    pub word: fn(&str) -> String,
    /// The files of which one shows that somebody uses it, in the folder that `settings` gives for a home.
    pub signs: &'static [&'static str],
    pub settings: fn(&Path, &Environment) -> PathBuf,
    /// The user's startup files that get the block.
    pub startup_files: fn(&StartupFolders, Readable<'_>) -> Vec<PathBuf>,
    /// Further files of the user that it may read.
    pub more_files: fn(&StartupFolders) -> Vec<PathBuf>,
    /// The system's startup files that it may read, and the folder of further ones.
    pub system_files: (&'static [&'static str], &'static str),
    /// The system's files that get the block, below its `etc`; given the one that login shells of the POSIX kind read.
    pub system_targets: fn(&Path, &Path, Readable<'_>) -> Vec<PathBuf>,
    /// Whether it reads nothing of the user's when it is interactive but no login shell, and so has what the login shell above
    /// it left in the environment.
    pub inherits_from_login: bool,
    /// Whether `-l` makes it a login shell beside other flags; elsewhere the dash before its name does.
    pub takes_login_flag: bool,
    /// The modes in which it leaves nothing behind by itself when nothing keeps it from that.
    pub harmless: &'static [StartMode],
    /// Whether it may answer differently where nothing can be written.
    pub needs_to_write: bool,
    /// Whether a line is typed before it has shown its prompt.
    pub typed_ahead: bool,
    /// Whether another shell of those with `is_running` may sit at its terminal and answer.
    pub shares_question: bool,
    /// The commands of the question.
    pub question: fn(&Asked<'_>) -> String,
    pub order: FieldOrder,
    /// Whether a line of its own stands for each zero byte: it can print none where it has to.
    pub prints_separators: bool,
    /// The file of a name, of what it said of it.
    pub file: fn(&[u8]) -> Vec<u8>,
    /// What answers to a name: the name, what was said, and whether a file was found.
    pub kind: fn(&str, &str, bool) -> Kind,
    /// The command that reads a file, and what prints for it without being looked up.
    pub read: &'static str,
    pub printf: &'static str,
    /// What comes before the line that reads the question.
    pub before_reading: &'static str,
    /// What tells its hooks the line that is meant, `LINE`, since another one is typed; empty where it has no such hooks.
    pub line_hook: &'static str,
    /// What a hook of its prompt is called.
    pub prompt_hook: &'static str,
    /// What prints traps, timers and key bindings: where it is typed to, and elsewhere.
    pub watch: [&'static str; 2],
    pub watch_line: WatchLine,
}

/// How a terminal is brought to what a new one has.
pub struct CatchUpRules {
    /// The line that unsets a variable.
    pub unset: fn(&str) -> String,
    /// The line that sets one; `None` where no line can.
    pub set: fn(&str, &str) -> Option<String>,
    /// What makes it forget where it found commands before.
    pub forget: Option<&'static str>,
    /// The line to be typed that runs `wyard catch-up`, and does what that prints.
    pub call: &'static str,
}
