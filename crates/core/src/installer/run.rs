//! Running an installer: planned and shown first, watched while it runs, and finished where it left something undone.

use std::ffi::OsString;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

use serde::Serialize;

use super::blame::Whose;
use super::plan::InstallPlan;
use super::watch::{Seen, Watch};
use super::{InstallerKind, left, status};
use crate::error::{Blame, Blamed, FileContext as _, FileError};
use crate::finding::{Code, Finding};
use crate::layout::{ToolName, Version};
use crate::machine::Machine;
use crate::process::{self, Ending, Outcome};
use crate::progress::Stop;
use crate::receive::{AdoptReport, HomeVariables, ReceiveError, Trust};
use crate::terminal::{self, Asking};
use crate::yard::{Change, Scope, Yard, YardError};

/// Asks which of several folders is the tool that was meant; `None` where nobody can tell.
pub type Choose<'a> = &'a dyn Fn(&[PathBuf]) -> Option<usize>;

/// What the user asks for.
#[derive(Debug, Clone, Default)]
pub struct InstallRequest {
    /// The installer.
    pub file: PathBuf,
    /// What the publisher says of it.
    pub trust: Trust,
    /// Arguments that are passed on.
    pub arguments: Vec<String>,
    /// The folder to install into.
    pub folder: Option<PathBuf>,
    /// Whether a Debian package is handed to the system.
    pub system_install: bool,
    /// More places to be watched.
    pub watch: Vec<PathBuf>,
    /// How long it may take.
    pub limit: Duration,
    /// The tool's name, where it is not to be guessed.
    pub name: Option<ToolName>,
    /// Its version, where it is not to be guessed.
    pub version: Option<Version>,
    /// Its command folders, where they are not to be found; absolute, or relative to its root.
    pub command_folders: Vec<PathBuf>,
    /// Its home variables.
    pub home_variables: HomeVariables,
    /// Whose PATH.
    pub scope: Scope,
    /// Whether the stores are brought back when it fails or what it leaves is not good.
    pub or_undo: bool,
}

/// What came of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct InstallReport {
    /// The format number.
    pub format: u32,
    /// `install`.
    pub report: &'static str,
    /// What was run.
    pub plan: InstallPlan,
    /// Its exit status; null where it did not end by itself.
    pub status: Option<i32>,
    /// That in words.
    pub ended: String,
    /// Whether it did its work, by its own account.
    pub well: bool,
    /// What changed while it ran.
    pub seen: Seen,
    /// What was done with what it left; null where there was no tool.
    pub adopted: Option<AdoptReport>,
    /// Whether the stores were brought back.
    pub taken_back: bool,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}

/// Why an installer could not be run.
#[derive(Debug, thiserror::Error)]
pub enum InstallError {
    /// It is none.
    #[error("{} is no installer", .0.display())]
    None(PathBuf),
    /// No uninstaller is known.
    #[error("{0} has no uninstaller on its card")]
    NoUninstaller(String),
    /// It is for another system.
    #[error("{} is a {kind}, and can't run on this system", file.display())]
    OtherSystem {
        /// The file.
        file: PathBuf,
        /// What it is, in words.
        kind: &'static str,
    },
    /// An installer writes where it likes, and on Windows into the real registry.
    #[error("{} can't be rehearsed: an installer writes into the real registry, whatever the sandbox; nothing was run", .0.display())]
    Sandbox(PathBuf),
    /// It has no way to say where to install.
    #[error("{} has no option that names the folder to install into", .0.display())]
    NoFolderOption(PathBuf),
    /// It installs for everybody, which needs more rights.
    #[error("{} installs for everybody, which needs an administrator's rights; nothing was run", file.display())]
    NotElevated {
        /// The file.
        file: PathBuf,
        /// The call to repeat.
        command: String,
    },
    /// The records and the work.
    #[error(transparent)]
    Receive(#[from] ReceiveError),
    /// A file.
    #[error(transparent)]
    File(#[from] FileError),
    /// The user asked to stop.
    #[error("interrupted; the installer was ended, and what it had done by then stays: see {}", .0.display())]
    Interrupted(PathBuf),
}

impl Blamed for InstallError {
    fn blame(&self) -> Blame {
        match self {
            Self::None(_) | Self::OtherSystem { .. } => Blame::Input,
            Self::Sandbox(_) | Self::NoFolderOption(_) | Self::NoUninstaller(_) => Blame::Call,
            Self::NotElevated { .. } => Blame::Machine,
            Self::Receive(e) => e.blame(),
            Self::File(e) => e.blame(),
            Self::Interrupted(_) => Blame::Interrupted,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::NoFolderOption(_) => Some("pass its own option on, behind --".to_owned()),
            Self::NoUninstaller(name) => Some(format!("'wyard retire {name}' without --uninstall leaves its folder")),
            Self::NotElevated { command, .. } => Some(format!("repeat it with those rights: {command}")),
            Self::OtherSystem { .. } => Some("download the one for this system".to_owned()),
            Self::Receive(e) => e.hint(),
            Self::File(e) => e.hint(),
            Self::Sandbox(_) => Some("'wyard inspect' tells what it would do".to_owned()),
            Self::None(_) | Self::Interrupted(_) => None,
        }
    }
}

impl From<YardError> for InstallError {
    fn from(error: YardError) -> Self {
        Self::Receive(error.into())
    }
}

/// Runs what was planned, tells what changed, and finishes it: what is not registered is registered, and checked.
///
/// # Errors
/// When it cannot be run at all. An installer that fails is no error.
pub fn install(
    machine: &Machine,
    request: &InstallRequest,
    plan: InstallPlan,
    choose: Choose<'_>,
    stop: &Stop,
) -> Result<InstallReport, InstallError> {
    let yard = Yard::of(machine);
    let settings = yard.settings()?;
    yard.check_rights()?;
    let shells = terminal::installed(machine, &settings.shells);
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let startup = asking.startup_folders();
    let mut places = request.watch.clone();
    places.extend(request.folder.iter().filter_map(|folder| folder.parent().map(Path::to_owned)));
    // Made before the first look, so that it is not laid at the installer's door.
    if let Some(folder) = plan.log.parent() {
        fs::create_dir_all(folder).at("make the folder", folder)?;
    }
    let before = Watch::look(machine, &startup, &places)?;
    let outcome = run(machine, &plan, request.limit, stop);
    let log = [&outcome.stdout[..], b"\n", &outcome.stderr].concat();
    fs::write(&plan.log, log).at("write", &plan.log)?;
    let after = Watch::look(machine, &startup, &places)?;
    let seen = before.differences(&after);
    let (status, well, ended) = match &outcome.ending {
        Ending::Exited(exit) => {
            let (well, words) = status::words(plan.installer.kind, exit.code());
            (exit.code(), well, words)
        }
        Ending::TimedOut => (None, false, status::not_within(request.limit)),
        Ending::Interrupted => return Err(InstallError::Interrupted(plan.log)),
        Ending::NotStarted(error) => (None, false, format!("it could not be started: {error}")),
    };
    let mut report = InstallReport {
        format: 1,
        report: "install",
        status,
        ended,
        well,
        seen,
        adopted: None,
        taken_back: false,
        findings: Vec::new(),
        plan,
    };
    tell(machine, &mut report, &outcome);
    if report.well && report.plan.installer.kind != InstallerKind::DebianPackage {
        left::finish(machine, request, &mut report, &after.places, choose, stop)?;
    }
    if let Some(adopted) = &report.adopted {
        for text in Whose::of(&report.seen, machine).root_for_bin(adopted) {
            let seen = format!("it put the tool's root into PATH, where no command is: {text}");
            report.findings.push(Finding::new(Code::BinBelow, seen).remedy("nothing: the right folder is registered"));
        }
    }
    let good = report.adopted.as_ref().and_then(|adopted| adopted.verdict).is_some_and(crate::check::Verdict::passes);
    if request.or_undo && !good {
        if let Some(change) = report.adopted.as_ref().and_then(|adopted| adopted.change) {
            crate::receive::undo(machine, Some(change), false, stop)
                .map_err(|e| ReceiveError::NotUndone { source: Box::new(e) })?;
        }
        let lock = yard.lock()?;
        let now = Watch::look(machine, &startup, &places)?;
        let does = format!("take back what {} did to PATH", report.plan.file.display());
        let change = Change { does, undoes: None, acts: before.back(&now) };
        lock.carry_out(change).map_err(YardError::from)?;
        report.taken_back = true;
    }
    Ok(report)
}

fn run(machine: &Machine, plan: &InstallPlan, limit: Duration, stop: &Stop) -> Outcome {
    let mut words = plan.command.iter().map(OsString::from);
    let mut command = Command::new(words.next().unwrap_or_default());
    command.args(words).env_clear().envs(&machine.environment);
    if let Some(folder) = plan.file.parent() {
        command.current_dir(folder);
    }
    process::run(command, limit, stop)
}

/// What is to be told of the run itself.
fn tell(machine: &Machine, report: &mut InstallReport, outcome: &Outcome) {
    let name = report.plan.file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    if !report.well {
        let said = crate::check::last_words(outcome);
        let seen = format!("{name}: {}{said}", report.ended);
        let remedy = format!("look into its log {}", report.plan.log.display());
        report.findings.push(Finding::new(Code::InstallerFailed, seen).remedy(remedy));
    }
    let strange = Whose::of(&report.seen, machine).strange();
    if !strange.is_empty() {
        let seen = format!("changed while it ran, and perhaps not by it: {}", strange.join("; "));
        report.findings.push(Finding::new(Code::ChangedMeanwhile, seen));
    }
    for value in report.seen.values.iter().filter(|value| !value.lost.is_empty()) {
        let lost = value.lost.join("; ");
        let seen = format!("while it ran, PATH of the {} environment lost: {lost}", value.scope);
        let remedy = "what is a tool's on record comes back by itself; for others: wyard path add FOLDER";
        report.findings.push(Finding::new(Code::PathReplaced, seen).remedy(remedy));
    }
    for entry in report.seen.values.iter().flat_map(|value| &value.entries).filter(|entry| entry.quoted) {
        let seen = format!("it put {} into PATH, quotes and all", entry.raw);
        report.findings.push(Finding::new(Code::QuotedEntry, seen).remedy("run 'wyard path tidy'"));
    }
}
