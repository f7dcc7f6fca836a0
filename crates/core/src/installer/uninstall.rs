//! Removing what an installer has brought, by its own uninstaller, under the same watch.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::thread;
use std::time::{Duration, Instant};

use serde::Serialize;

use super::run::InstallError;
use super::watch::{Seen, Watch};
use super::{InstallerKind, status};
use crate::finding::{Code, Finding};
use crate::machine::Machine;
use crate::path::{self, PathEdit};
use crate::process::{self, Ending};
use crate::progress::Stop;
use crate::receive::{RetireReport, retire};
use crate::terminal::{self, Asking};
use crate::yard::{Acts, Change, Content, StartupText, Yard, YardError};

/// The report of `retire --uninstall`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct UninstallReport {
    /// The format number.
    pub format: u32,
    /// `uninstall`.
    pub report: &'static str,
    /// What was done to the yard's records and the stores.
    pub retired: RetireReport,
    /// The command that was run.
    pub command: Vec<String>,
    /// How it ended, in words.
    pub ended: String,
    /// Whether it did its work, by its own account.
    pub well: bool,
    /// What changed while it ran.
    pub seen: Seen,
    /// Folders that it left in PATH, and that were taken out.
    pub dropped: Vec<PathBuf>,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}

/// The command that removes a tool, as words; `None` where none is known.
///
/// # Errors
/// When there is no such tool.
pub fn uninstaller(machine: &Machine, wanted: &str) -> Result<Option<Vec<String>>, InstallError> {
    Ok(Yard::of(machine).find(wanted)?.uninstaller.map(words))
}

/// Retires a tool, runs its uninstaller, and takes out of PATH what that leaves there.
///
/// # Errors
/// When there is no such tool, or it has no uninstaller.
pub fn uninstall(
    machine: &Machine,
    wanted: &str,
    limit: Duration,
    stop: &Stop,
) -> Result<UninstallReport, InstallError> {
    let yard = Yard::of(machine);
    let settings = yard.settings()?;
    let card = yard.find(wanted)?;
    let home = yard.home_of(&card);
    let command = card.uninstaller.clone().map(words).ok_or_else(|| InstallError::NoUninstaller(wanted.to_owned()))?;
    let shells = terminal::installed(machine, &settings.shells);
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let startup = asking.startup_folders();
    let mut retired = retire(machine, wanted, false, stop)?;
    let before = Watch::look(machine, &startup, &[])?;
    let mut program = Command::new(command.first().map_or("", String::as_str));
    program.args(command.iter().skip(1)).env_clear().envs(&machine.environment);
    let outcome = process::run(program, limit, stop);
    let (mut well, ended) = match &outcome.ending {
        Ending::Exited(exit) => status::words(InstallerKind::WindowsPackage, exit.code()),
        Ending::TimedOut => (false, status::not_within(limit)),
        Ending::Interrupted => (false, "it was interrupted".to_owned()),
        Ending::NotStarted(error) => (false, format!("it could not be started: {error}")),
    };
    let programs: Vec<PathBuf> = card.commands.iter().map(|command| home.join(&command.path)).collect();
    retired.uninstaller = None;
    let still = if well { still_there(&programs, stop) } else { Vec::new() };
    retired.stays = retired.stays.filter(|folder| folder.exists());
    let seen = before.differences(&Watch::look(machine, &startup, &[])?);
    let mut findings = Vec::new();
    if let Some(first) = still.first() {
        let seen = format!("the uninstaller says that all went well, and {} is still there", first.display());
        let remedy = format!("run it by hand, and see what it asks: {}", command.join(" "));
        findings.push(Finding::new(Code::InstallerFailed, seen).remedy(remedy));
        well = false;
    }
    if !well && still.is_empty() {
        let seen = format!("the uninstaller: {ended}{}", crate::check::last_words(&outcome));
        let remedy = format!("run it by hand: {}", command.join(" "));
        findings.push(Finding::new(Code::InstallerFailed, seen).remedy(remedy));
    }
    take_out(&yard, &card.added, &format!("take out what the installer of {wanted} put into startup files"))?;
    let folders = card.layout.command_folders.iter().map(|below| home.join(below)).chain([home.clone()]);
    let mut dropped = Vec::new();
    for folder in folders {
        let edit = PathEdit::Drop { folder: folder.clone() };
        // That no entry leads there is the usual case.
        let Ok(report) = path::change(machine, &edit, false, stop) else { continue };
        if report.changed && !dropped.contains(&folder) {
            dropped.push(folder);
        }
        for left in report.proposals {
            let place = left.line.map_or(left.place.clone(), |line| format!("{}, line {line}", left.place));
            let seen = format!("{} is still in PATH, by {place}", left.entry);
            findings.push(Finding::new(Code::FolderMissing, seen).remedy("take it out there by hand"));
        }
    }
    Ok(UninstallReport { format: 1, report: "uninstall", retired, command, ended, well, seen, dropped, findings })
}

/// Takes out of startup files what an installer put there, where it still stands as it was put.
fn take_out(yard: &Yard, added: &[StartupText], does: &str) -> Result<(), InstallError> {
    // Of each file what it was, and what becomes of it.
    let mut files: BTreeMap<&Path, (String, String, bool)> = BTreeMap::new();
    for piece in added {
        let now = match files.get(&*piece.file) {
            Some((before, after, _)) => (before.clone(), after.clone()),
            None => match fs::read_to_string(&piece.file) {
                Ok(text) => (text.clone(), text),
                Err(_) => continue,
            },
        };
        let times = added.iter().filter(|other| (&other.file, &other.text) == (&piece.file, &piece.text)).count();
        if let Some(after) = piece.taken_out(&now.1, times) {
            files.insert(&piece.file, (now.0, after, piece.made));
        }
    }
    let mut acts = Acts::default();
    for (file, (before, after, made)) in files {
        let content = |text: String| Some(Content::from(text.into_bytes()));
        let after = if made && after.is_empty() { None } else { content(after) };
        acts.restore(file, content(before), after);
    }
    let lock = yard.lock()?;
    lock.carry_out(Change { does: does.to_owned(), undoes: None, acts }).map_err(YardError::from)?;
    Ok(())
}

/// Which of these are there, when some time was given: many an uninstaller hands its work to a copy of itself, since a
/// program that runs can't be removed on Windows, and ends at once.
fn still_there(programs: &[PathBuf], stop: &Stop) -> Vec<PathBuf> {
    const PATIENCE: Duration = Duration::from_secs(15);
    let began = Instant::now();
    loop {
        let there: Vec<PathBuf> = programs.iter().filter(|path| path.exists()).cloned().collect();
        if there.is_empty() || stop.requested() || began.elapsed() > PATIENCE {
            return there;
        }
        thread::sleep(Duration::from_millis(100));
    }
}

/// The words of a command as the system's record has it: a program, perhaps in quotes, and arguments. Windows Installer is
/// told to remove, quietly ("Command-Line Options").
fn words(command: Vec<String>) -> Vec<String> {
    let [line] = &command[..] else { return command };
    if Path::new(line).exists() {
        return command;
    }
    let (program, rest) = match line.strip_prefix('"').and_then(|rest| rest.split_once('"')) {
        Some((program, rest)) => (program.to_owned(), rest),
        None => line.split_once(' ').map_or((line.clone(), ""), |(program, rest)| (program.to_owned(), rest)),
    };
    let is_package = program.to_lowercase().trim_end_matches(".exe").ends_with("msiexec");
    let mut words = vec![program];
    words.extend(rest.split_whitespace().map(str::to_owned));
    if is_package {
        for word in &mut words {
            if word.get(..2).is_some_and(|begin| begin.eq_ignore_ascii_case("/i")) {
                *word = format!("/x{}", &word[2..]);
            }
        }
        words.extend(["/qn".to_owned(), "/norestart".to_owned()]);
    }
    words
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_command_of_a_record_is_split() {
        for (line, expected) in [
            ("MsiExec.exe /I{B0}", &["MsiExec.exe", "/x{B0}", "/qn", "/norestart"][..]),
            (r#""C:\Program Files\buoy\remove.exe" /S"#, &[r"C:\Program Files\buoy\remove.exe", "/S"]),
            (r"C:\buoy\remove.exe", &[r"C:\buoy\remove.exe"]),
        ] {
            assert_eq!(words(vec![line.to_owned()]), expected);
        }
    }
}
