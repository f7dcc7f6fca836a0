//! An installer: planned and shown first, watched while it runs, and finished where it left something undone.

use std::fs;
use std::path::{Path, PathBuf};

use super::error::ReceiveError;
use super::observer::Observer;
use super::report::{InstalledTool, LeftUndone, Received};
use super::request::{Effect, ReceiveRequest, source_file};
use crate::change::Change;
use crate::check::{CheckError, last_words};
use crate::error::FileContext as _;
use crate::finding::{Code, Finding};
use crate::installer::{
    self, Differences, Ended, InstallError, InstallPlan, InstallRequest, InstallerKind, LeftTool, UninstallRecord,
    Watch, Whose,
};
use crate::jobs::adopt::{self, AdoptRequest, AdoptedFolder};
use crate::jobs::consent::Consent;
use crate::jobs::undo::{self, UndoRequest};
use crate::layout::HomeVariables;
use crate::naming::{self, ToolName};
use crate::os;
use crate::process::{Ending, Outcome};
use crate::program::{DownloadMark, MarkFate};
use crate::report::{Report, ReportPath, Verdict};
use crate::session::{JobError, Session};
use crate::store::registry::RegistryEnvironments;
use crate::suggestion::suggested;
use crate::yard::Source;

pub(super) fn run(
    session: &Session,
    request: &ReceiveRequest,
    observer: &dyn Observer,
) -> Result<Report<Received>, JobError> {
    let wanted = as_install(request);
    let planned = installer::plan(session, &wanted)?;
    if request.rehearses() {
        return Ok(Report::new(Received::Plan(Box::new(planned.plan))));
    }
    observer.planned(&planned.plan);
    if !wanted.agreed {
        match observer.consents(&planned.plan) {
            Consent::Given => {}
            Consent::Refused => return Err(ReceiveError::NotAgreed.into()),
            Consent::NobodyToAsk => return Err(ReceiveError::NobodyToAsk.into()),
        }
    }
    // The file stays as it was hashed until the run has ended.
    let installer::PlannedInstaller { plan, pinned } = planned;
    let watched = watched_run(session, &wanted, plan)?;
    drop(pinned);
    finish(session, &wanted, watched, observer)
}

fn as_install(request: &ReceiveRequest) -> InstallRequest {
    let options = &request.installer;
    InstallRequest {
        address: request.source.address.clone(),
        file: request.source.file.clone(),
        trust: request.source.trust.clone(),
        arguments: options.arguments.clone(),
        folder: options.folder.clone(),
        system_install: options.system_install,
        watch: options.watch.clone(),
        limit: options.limit.unwrap_or(installer::USUAL_LIMIT),
        agreed: options.agreed,
        name: request.reading.name.clone(),
        version: request.reading.version.clone(),
        command_folders: request.reading.command_folders.clone(),
        home_variables: request.placement.home_variables.clone(),
        scope: request.placement.scope,
        or_undo: request.finish.effect == Effect::KeepIfGood,
        dry_run: request.rehearses(),
    }
}

struct WatchedRun {
    plan: InstallPlan,
    outcome: Outcome,
    ended: Ended,
    before: Watch,
    after: Watch,
    seen: Differences,
}

fn watched_run(session: &Session, request: &InstallRequest, plan: InstallPlan) -> Result<WatchedRun, JobError> {
    crate::yard::check_rights(&session.machine)?;
    let startup = session.asking()?.startup_folders();
    let mut places = request.watch.clone();
    places.extend(request.folder.iter().filter_map(|folder| folder.parent().map(Path::to_owned)));
    // Made before the first look, so that it is not laid at the installer's door.
    if let Some(folder) = plan.log.parent() {
        os::make_folders(folder).at("make the folder", folder)?;
    }
    let before = Watch::look(&session.machine, &startup, &places)?;
    let outcome = installer::run(&session.machine, &plan.command, plan.file.parent(), request.limit, &session.stop);
    session.forget_startup_folders();
    let log = [&outcome.stdout[..], b"\n", &outcome.stderr].concat();
    fs::write(&plan.log, log).at("write", &plan.log)?;
    let after = Watch::look(&session.machine, &startup, &places)?;
    let seen = before.differences(&after);
    if matches!(outcome.ending, Ending::Interrupted) {
        return Err(InstallError::Interrupted(plan.log.into_path()).into());
    }
    let ended = Ended::of(plan.installer.kind, &outcome, request.limit);
    Ok(WatchedRun { plan, outcome, ended, before, after, seen })
}

/// Tells what changed, registers what is not registered, and checks it.
fn finish(
    session: &Session,
    request: &InstallRequest,
    watched: WatchedRun,
    observer: &dyn Observer,
) -> Result<Report<Received>, JobError> {
    let mut findings = run_findings(session, &watched);
    findings.extend(DownloadMark::of(&request.file).map(|mark| mark.finding(MarkFate::Seen)));
    let mut adopted = None;
    if watched.ended.well && watched.plan.installer.kind != InstallerKind::DebianPackage {
        let (tool, told) = adopt_left(session, request, &watched, observer)?;
        findings.extend(told);
        adopted = tool;
    }
    if let Some(adopted) = &adopted {
        let whose = Whose::of(&watched.seen, &session.machine.home);
        for text in whose.root_for_bin(&adopted.home, &adopted.command_folders) {
            let seen = format!("it added the tool's root folder to PATH, which has no commands: {text}");
            findings.push(Finding::new(Code::BinBelow, seen).remedy("nothing to do: the right folder is registered"));
        }
    }
    let good =
        adopted.as_ref().is_some_and(|adopted| adopted.verdict().is_some_and(Verdict::passes) && adopted.passes());
    let taken_back = request.or_undo && !good;
    if taken_back {
        let change = adopted.as_ref().and_then(|adopted| adopted.change);
        take_back(session, request, &watched, change)?;
    }
    findings.extend(lost_entries(session, &watched.seen)?);
    let left_undone = adopted.as_ref().and_then(|adopted| left_undone(&watched.seen, adopted));
    // What was handed to the system is the system's.
    let done = good || request.system_install && watched.ended.well;
    let WatchedRun { plan, ended, seen, .. } = watched;
    let Ended { status, well, words } = ended;
    let installed = InstalledTool { plan, status, ended: words, well, seen, adopted, left_undone, taken_back };
    let report = Report::new(Received::Installed(Box::new(installed)));
    Ok(report.with_findings(findings).failed_if(!done))
}

fn left_undone(seen: &Differences, adopted: &AdoptedFolder) -> Option<LeftUndone> {
    if adopted.was_registered || adopted.renewed.is_some() {
        return None;
    }
    let touched = !seen.startup_files.is_empty() || seen.values.iter().any(|value| !value.entries.is_empty());
    Some(if touched { LeftUndone::NotInEveryTerminal } else { LeftUndone::NotRegistered })
}

fn take_back(
    session: &Session,
    request: &InstallRequest,
    watched: &WatchedRun,
    change: Option<u64>,
) -> Result<(), JobError> {
    if change.is_some() {
        let wanted = UndoRequest { id: change, dry_run: false };
        undo::run(session, &wanted).map_err(ReceiveError::not_undone)?;
    }
    let lock = session.lock()?;
    let startup = session.asking()?.startup_folders();
    let now = Watch::look(&session.machine, &startup, &request.watch)?;
    let name = request.name.clone().or_else(|| guessed_name(&watched.plan, None));
    let whose = Whose::of(&watched.seen, &session.machine.home).or_names(name.as_ref());
    let changeset = installer::restore(&watched.before, &watched.after, &now, &whose);
    let does = format!("undo PATH changes of {}", watched.plan.file);
    lock.carry_out(Change { does, undoes: None, changeset })?;
    Ok(())
}

fn run_findings(session: &Session, watched: &WatchedRun) -> Vec<Finding> {
    let WatchedRun { plan, outcome, ended, seen, .. } = watched;
    let mut findings = Vec::new();
    let name = plan.file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    if !ended.well {
        let seen = format!("{name}: {}{}", ended.words, last_words(outcome));
        let remedy = format!("see its log {}", plan.log);
        findings.push(Finding::new(Code::InstallerFailed, seen).remedy(remedy));
    }
    let strange = Whose::of(seen, &session.machine.home).strange();
    if !strange.is_empty() {
        let seen = format!("changed while it ran, perhaps by another program: {}", strange.join("; "));
        findings.push(Finding::new(Code::ChangedMeanwhile, seen));
    }
    for entry in seen.values.iter().flat_map(|value| &value.entries).filter(|entry| entry.quoted) {
        let seen = format!("it add {} to PATH, quotes and all", entry.raw);
        findings.push(Finding::new(Code::QuotedEntry, seen).remedy("run 'wyard path tidy'"));
    }
    findings
}

/// What PATH lost while the installer ran, by whether it is there again: registering restores entries of recorded tools.
fn lost_entries(session: &Session, seen: &Differences) -> Result<Vec<Finding>, JobError> {
    let lossy: Vec<_> = seen.values.iter().filter(|value| !value.lost.is_empty()).collect();
    if lossy.is_empty() {
        return Ok(Vec::new());
    }
    let registry = RegistryEnvironments::read(&session.machine.registry())?;
    let findings = lossy.into_iter().flat_map(|value| {
        let now = registry.of(value.scope).get(&value.name).map(|now| now.text).unwrap_or_default();
        let (back, gone): (Vec<_>, Vec<_>) =
            value.lost.iter().map(String::as_str).partition(|lost| now.split(';').any(|entry| entry == *lost));
        let told = |code, entries: Vec<&str>, after: &str| {
            let seen = format!("PATH of the {} environment lost {}{after}", value.scope.as_str(), entries.join("; "));
            (!entries.is_empty()).then(|| Finding::new(code, seen))
        };
        let gone = told(Code::PathReplaced, gone, " while it ran");
        [
            gone.map(|gone| gone.remedy("run 'wyard path add FOLDER' for each")),
            told(Code::PathRestored, back, "; restored"),
        ]
    });
    Ok(findings.flatten().collect())
}

/// Finds the tool among what is new, and adopts it. What is in the way of that is told, and ends nothing: the installer
/// has run.
fn adopt_left(
    session: &Session,
    request: &InstallRequest,
    watched: &WatchedRun,
    observer: &dyn Observer,
) -> Result<(Option<Report<AdoptedFolder>>, Option<Finding>), JobError> {
    let found = installer::find_tools(session, request, &watched.plan, &watched.seen, &watched.after.places)?;
    let folders: Vec<PathBuf> = found.iter().map(|left| left.folder.clone()).collect();
    let chosen = if found.len() > 1 { observer.choose(&folders) } else { Some(0) };
    let Some(left) = chosen.and_then(|at| found.get(at)) else {
        let finding = nothing_new(watched).filter(|_| folders.is_empty() && request.command_folders.is_empty());
        return Ok((None, Some(finding.unwrap_or_else(|| nothing_chosen(&folders, &request.command_folders)))));
    };
    let mut wanted = as_tool(session, request, watched, left);
    if found.len() > 1 {
        // The installer's name and version are those of all, and not of the one.
        (wanted.name, wanted.version) = (request.name.clone(), request.version.clone());
    }
    match adopt::run(session, &wanted) {
        Ok(adopted) => Ok((Some(adopted), None)),
        Err(error) if matches!(error.of(), Some(CheckError::Interrupted)) => Err(error),
        Err(error) => {
            let error = error.error();
            let folder = left.folder.display();
            let to_adopt = suggested(session.system(), "adopt {}", &[&left.folder]);
            let remedy = format!("run {to_adopt}; add --name and --version if they cannot be inferred");
            let seen = format!("its result in {folder} could not be recorded: {}", with_causes(error));
            let finding = Finding::new(Code::InstallerUnfinished, seen).remedy(error.hint().unwrap_or(remedy));
            Ok((None, Some(finding)))
        }
    }
}

/// An error with what caused it.
fn with_causes(error: &dyn std::error::Error) -> String {
    error.source().map_or_else(|| error.to_string(), |source| format!("{error}: {}", with_causes(source)))
}

/// It made nothing, since what it makes is there.
fn nothing_new(watched: &WatchedRun) -> Option<Finding> {
    if watched.seen.files_added > 0 || !watched.seen.files_changed.is_empty() {
        return None;
    }
    let adopt = "adopt the folder that it is in: wyard adopt FOLDER";
    let (seen, remedy) = match of_product(&watched.plan) {
        Some(record) if !record.folder.is_empty() => (
            format!(
                "it made no new files: {} {} is installed already in {}",
                record.name, record.version, record.folder
            ),
            "adopt that folder: wyard adopt FOLDER",
        ),
        Some(record) => {
            (format!("it made no new files: {} {} is installed already", record.name, record.version), adopt)
        }
        None => ("it made no new files; it may have been run before".to_owned(), adopt),
    };
    Some(Finding::new(Code::NoCommands, seen).remedy(remedy))
}

fn nothing_chosen(folders: &[PathBuf], given: &[PathBuf]) -> Finding {
    if let ([], [first, ..]) = (folders, given) {
        let seen = format!("it created no commands in {}", first.display());
        return Finding::new(Code::NoCommands, seen).remedy("adopt a folder listed under 'made': wyard adopt FOLDER");
    }
    if folders.is_empty() {
        let seen = "it created no commands: a part was not selected, or a download inside it failed";
        let again =
            "run it again with that part selected, with its own arguments after --, or with --installer-folder DIR";
        return Finding::new(Code::NoCommands, seen).remedy(again);
    }
    let names: Vec<String> = folders.iter().map(|folder| folder.display().to_string()).collect();
    let seen = format!("it created commands in {} folders: {}", folders.len(), names.join(", "));
    Finding::new(Code::SeveralTools, seen).remedy("adopt the right one: wyard adopt FOLDER")
}

fn guess(plan: &InstallPlan) -> naming::Guess {
    naming::guess(&plan.file.file_name().unwrap_or_default().to_string_lossy())
}

/// The tool's name by the installer's, by its product, or else by what it left.
fn guessed_name(plan: &InstallPlan, left: Option<String>) -> Option<ToolName> {
    let names = [guess(plan).name, plan.installer.product.clone(), left];
    names.into_iter().flatten().find_map(|text| installer::tool_name(&text))
}

/// The system's record of what this installer installs.
fn of_product(plan: &InstallPlan) -> Option<UninstallRecord> {
    let product = plan.installer.product.as_ref()?;
    UninstallRecord::all().into_iter().find(|record| record.name.eq_ignore_ascii_case(product))
}

/// What is asked of `adopt`.
fn as_tool(session: &Session, request: &InstallRequest, watched: &WatchedRun, left: &LeftTool) -> AdoptRequest {
    let WatchedRun { plan, seen, .. } = watched;
    let whose = Whose::of(seen, &session.machine.home);
    // Of one that was run again nothing is new on the system's record.
    let of_system = || of_product(plan).or_else(|| UninstallRecord::of_folder(&left.folder));
    let record = seen.installed.first().cloned().or_else(of_system);
    let of_record = record.as_ref().map(|r| r.version.clone());
    let version = plan.installer.version.clone().or(of_record).or_else(|| guess(plan).version);
    let only_one = left.only.as_ref().and_then(|names| <&[String; 1]>::try_from(&names[..]).ok()).map(|[name]| name);
    let name = guessed_name(plan, only_one.cloned());
    let recorded = record.map(|record| record.command).filter(|command| !command.is_empty()).map(ReportPath::from);
    let own = || {
        let found = installer::own_uninstaller(&left.folder, session.system());
        found.filter(|_| left.only.is_none()).map(ReportPath::from)
    };
    AdoptRequest {
        folder: left.folder.clone(),
        name: request.name.clone().or(name),
        version: request.version.clone().or_else(|| version?.parse().ok()),
        command_folders: left.command_folders.clone(),
        home_variables: match (&left.only, &request.home_variables) {
            (Some(_), HomeVariables::Usual) => HomeVariables::None,
            (_, asked) => asked.clone(),
        },
        scope: request.scope,
        move_in: false,
        trusts: false,
        dry_run: false,
        installed: Some(adopt::Installed {
            only: left.only.clone(),
            uninstaller: recorded.or_else(own).map(|command| vec![command]),
            added: seen.startup_files.iter().filter_map(|file| whose.own_text(file)).collect(),
            source: Source {
                file: source_file(&plan.file, request.address.as_ref()),
                address: request.address.as_ref().map(ToString::to_string),
                bytes: plan.bytes,
                sha256: plan.sha256.clone(),
                compared: plan.compared,
                with: Vec::new(),
            },
        }),
    }
}
