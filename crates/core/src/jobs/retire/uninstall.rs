//! Removing what an installer has brought, by its own uninstaller, under the same watch.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::thread;
use std::time::{Duration, Instant};

use super::report::UninstalledTool;
use super::retired::retire;
use crate::change::{Change, Changeset, Content};
use crate::check::last_words;
use crate::finding::{Code, Finding};
use crate::installer::{self, Ended, InstallerKind, Watch};
use crate::jobs::path::{self, PathEdit, PathError, PathRequest};
use crate::jobs::undo::{self, UndoRequest};
use crate::process::command_line;
use crate::progress::Stop;
use crate::report::{Report, ReportPath};
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::suggestion::suggested;
use crate::yard::{Card, StartupText};

/// Retires a tool, runs its uninstaller, and takes out of PATH what that leaves there. Where the commands are still there the
/// tool comes back on record.
pub(super) fn uninstall(
    session: &Session,
    wanted: &str,
    command: Vec<ReportPath>,
    limit: Duration,
) -> Result<Report<UninstalledTool>, JobError> {
    let card = session.stock()?.find(wanted)?.clone();
    let home = session.yard.home_of(&card);
    let startup = session.asking()?.startup_folders();
    // First: of a tool whose folder is gone nothing is known any more.
    let mut retired = retire(session, wanted, false)?;
    let before = Watch::look(&session.machine, &startup, &[])?;
    let outcome = installer::run(&session.machine, &command, None, limit, &session.stop);
    session.forget_startup_folders();
    let Ended { mut well, words: mut ended, .. } = Ended::of(InstallerKind::WindowsPackage, &outcome, limit);
    let programs: Vec<PathBuf> = card.commands.iter().map(|command| home.join(&command.path)).collect();
    let still = still_there(&programs, if well { PATIENCE } else { Duration::ZERO }, &session.stop);
    let seen = before.differences(&Watch::look(&session.machine, &startup, &[])?);
    let by_hand = command_line::join(&command, session.system());
    let mut findings = Vec::new();
    if let Some(first) = still.first().filter(|_| well) {
        let seen = format!("the uninstaller reported success, but {} still exists", first.display());
        let remedy = format!("run it by hand: {by_hand}");
        findings.push(Finding::new(Code::InstallerFailed, seen).remedy(remedy));
        (well, ended) = (false, "it reported success, but its commands still exist".to_owned());
    } else if !well {
        let seen = format!("the uninstaller: {ended}{}", last_words(&outcome));
        findings.push(Finding::new(Code::InstallerFailed, seen).remedy(format!("run it by hand: {by_hand}")));
    }
    // What somebody has built on it meanwhile is not pulled from under them.
    let back = UndoRequest { id: retired.id, dry_run: false };
    if !still.is_empty() && undo::run(session, &back).is_ok() {
        let done = UninstalledTool { retired: None, command, ended, well, seen, dropped: Vec::new() };
        return Ok(Report::new(done).with_findings(findings).failed_if(true));
    }
    retired.uninstaller = None;
    retired.stays = retired.stays.filter(|folder| folder.exists());
    take_out(session, &card.added, &format!("remove lines that the installer of {wanted} added to startup files"))?;
    let (dropped, left) = drop_entries(session, &card, &home);
    findings.extend(left);
    let done = UninstalledTool { retired: Some(retired), command, ended, well, seen, dropped };
    Ok(Report::new(done).with_findings(findings).failed_if(!well))
}

/// Takes the tool's folders out of PATH, where they still are; what only somebody else can take out is told.
fn drop_entries(session: &Session, card: &Card, home: &Path) -> (Vec<ReportPath>, Vec<Finding>) {
    let folders = card.layout.command_folders.iter().map(|below| home.join(below)).chain([home.to_owned()]);
    let (mut dropped, mut findings): (Vec<ReportPath>, _) = (Vec::new(), Vec::new());
    for folder in folders {
        let edit = PathEdit::Drop { entry: folder.clone(), scope: session.machine.scope };
        let report = match path::run(session, &PathRequest::Change { edit, dry_run: false }, &|_| false) {
            Ok(report) => report,
            Err(error) => {
                // That no entry leads there is the usual case.
                if let Some(PathError::OtherScope { asked: Scope::User, .. }) = error.of() {
                    let drop = suggested(session.system(), "path drop {} --scope system", &[&folder]);
                    let seen = format!("{} is still in the system's PATH", folder.display());
                    let remedy = format!("in an elevated terminal, run {drop}");
                    findings.push(Finding::new(Code::FolderMissing, seen).remedy(remedy));
                }
                continue;
            }
        };
        if report.changed && !dropped.iter().any(|known| **known == *folder) {
            dropped.push(folder.into());
        }
        for left in &report.proposals {
            let place = left.line.map_or(left.place.clone(), |line| format!("{}, line {line}", left.place));
            let seen = format!("{} is still in PATH, by {place}", left.entry);
            findings.push(Finding::new(Code::FolderMissing, seen).remedy("remove it by hand"));
        }
    }
    (dropped, findings)
}

/// Takes out of startup files what an installer put there, where it still stands as it was put.
fn take_out(session: &Session, added: &[StartupText], does: &str) -> Result<(), JobError> {
    // Before the files are read: whoever has it meanwhile may write into them.
    let lock = session.lock()?;
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
    let mut changeset = Changeset::default();
    for (file, (before, after, made)) in files {
        let content = |text: String| Some(Content::from(text.into_bytes()));
        let after = if made && after.is_empty() { None } else { content(after) };
        changeset.restore(file, content(before), after);
    }
    lock.carry_out(Change { does: does.to_owned(), undoes: None, changeset })?;
    Ok(())
}

/// How long an uninstaller is given that may have handed its work to somebody who is not waited for.
const PATIENCE: Duration = Duration::from_secs(15);

/// Which of these are there, when some time was given: many an uninstaller hands its work to a copy of itself, since a
/// program that runs can't be removed on Windows, and ends at once.
fn still_there(programs: &[PathBuf], patience: Duration, stop: &Stop) -> Vec<PathBuf> {
    let began = Instant::now();
    loop {
        let there: Vec<PathBuf> = programs.iter().filter(|path| path.exists()).cloned().collect();
        if there.is_empty() || stop.requested() || began.elapsed() > patience {
            return there;
        }
        thread::sleep(Duration::from_millis(100));
    }
}
