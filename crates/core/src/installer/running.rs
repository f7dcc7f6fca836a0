//! Running an installer or uninstaller, and how it ended.

use std::path::Path;
use std::process::Command;
use std::time::Duration;

use super::facts::InstallerKind;
use super::status;
use crate::machine::Machine;
use crate::process::{self, Ending, Outcome};
use crate::progress::Stop;
use crate::report::ReportPath;

/// How long an installer or uninstaller may take, unless told otherwise.
pub const USUAL_LIMIT: Duration = Duration::from_secs(30 * 60);

/// Runs a command line in what this call has, from a folder, until all that it starts is done.
pub fn run(machine: &Machine, words: &[ReportPath], folder: Option<&Path>, limit: Duration, stop: &Stop) -> Outcome {
    let (program, arguments) = words.split_first().map_or((Path::new(""), words), |(first, rest)| (&**first, rest));
    let mut command = Command::new(program);
    command.args(arguments.iter().map(|word| word.as_os_str())).env_clear().envs(&machine.environment);
    if let Some(folder) = folder {
        command.current_dir(folder);
    }
    process::run_all(command, limit, stop)
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ended {
    /// Its exit status; `None` where it did not end by itself.
    pub status: Option<i32>,
    /// Whether it did its work, by its own account.
    pub well: bool,
    pub words: String,
}

impl Ended {
    pub fn of(kind: InstallerKind, outcome: &Outcome, limit: Duration) -> Self {
        let (status, (well, words)) = match &outcome.ending {
            Ending::Exited(exit) => (exit.code(), status::describe(kind, exit.code())),
            Ending::TimedOut => (None, (false, status::not_within(limit))),
            Ending::Interrupted => (None, (false, "it was interrupted".to_owned())),
            Ending::NotStarted(error) => (None, (false, format!("it could not be started: {error}"))),
            Ending::NoSeal(why) => (None, (false, format!("it could not be started: {why}"))),
        };
        Self { status, well, words }
    }
}
