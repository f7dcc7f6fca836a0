//! The job, stage by stage.

use super::downloading;
use super::error::ReceiveError;
use super::fitting;
use super::installer;
use super::observer::{Observer, Stage};
use super::report::{PlacedTool, Received, ReceivedArchive, ReceivedTool};
use super::request::{Effect, FileUse, ReceiveRequest};
use super::stages::{Checked, Identified, LaidOut, Placed, Registered};
use crate::archive::Source;
use crate::checksum::Summed;
use crate::installer::{ScriptUse, recognise, script_use};
use crate::jobs::undo::{self, UndoRequest};
use crate::path_list;
use crate::report::Report;
use crate::session::{JobError, Session};

/// Receives a tool: an archive is unpacked into the yard, an installer is run under watch.
///
/// # Errors
/// With what was wrong; the stock then holds either nothing or the whole tool, and the message says which.
pub fn run(session: &Session, request: &ReceiveRequest, observer: &dyn Observer) -> Result<Report<Received>, JobError> {
    if !request.rehearses() {
        session.check_scratch()?;
    }
    if !downloading::is_needed(request) {
        return of_file(session, request, observer);
    }
    let (downloaded, request) = downloading::fetch(session, request, observer)?;
    let outcome = of_file(session, &request, observer);
    downloaded.settle(&outcome, request.source.keep_download)?;
    outcome
}

fn of_file(session: &Session, request: &ReceiveRequest, observer: &dyn Observer) -> Result<Report<Received>, JobError> {
    let file = || request.source.file.clone();
    if is_installer(request)? {
        let given = request.given_for_archives();
        if !given.is_empty() {
            return Err(ReceiveError::NotForInstaller { file: file(), given: given.join(", ") }.into());
        }
        return installer::run(session, request, observer);
    }
    let given = request.installer.given();
    if !given.is_empty() {
        // A damaged installer is told as that.
        let _ = Source::open(&request.source.file, &std::env::temp_dir(), &session.stop)?;
        return Err(ReceiveError::NotForProgram { file: file(), given: given.join(", ") }.into());
    }
    archive(session, request, observer)
}

/// Whether the file is an installer: as the user says, as it shows itself, or for a script as the options given tell.
fn is_installer(request: &ReceiveRequest) -> Result<bool, JobError> {
    if let Some(told) = request.source.kind {
        return Ok(told == FileUse::Installer);
    }
    if request.installer.system_install || recognise(&request.source.file)?.is_some() {
        return Ok(true);
    }
    match script_use(&request.source.file)? {
        Some(_) if !request.installer.given().is_empty() => Ok(true),
        Some(ScriptUse::Unclear) => Err(ReceiveError::Unclear(request.source.file.clone()).into()),
        _ => Ok(false),
    }
}

fn archive(session: &Session, request: &ReceiveRequest, observer: &dyn Observer) -> Result<Report<Received>, JobError> {
    if !request.rehearses() {
        session.check_scope(request.placement.scope)?;
    }
    let yard = session.yard.root();
    path_list::check_entry(yard, session.system())
        .map_err(|source| ReceiveError::YardPlace { yard: yard.to_owned(), source })?;

    let identified = Identified::open(session, request)?;
    observer.stage(&Stage::Identified(identified.format()));
    let lock = session.lock_unless(request.rehearses())?;
    identified.refuse_early(session, request)?;
    let (summed, mut staged) = identified.sum_and_stage(session, request, observer)?;
    for further in &request.source.with {
        staged.lay_over(session, request, further, observer)?;
    }
    observer.stage(&Stage::Summed(&summed));
    let laid_out = staged.lay_out(session, request)?;
    observer.stage(&Stage::LaidOut(&laid_out));
    let unfit = fitting::judge(session, request, &laid_out)?;
    let placed = laid_out.place(session, request, &summed, unfit)?;
    let registered = placed.register(session, request, &summed, lock)?;
    observer.stage(&Stage::Placed(&registered.placed));
    let prepared = registered.placed.preparation.report();
    if !prepared.is_empty() {
        observer.stage(&Stage::Prepared(&prepared));
    }
    observer.stage(&Stage::Registered(&registered));
    let checked = registered.check(session, request)?;
    if let Some(check) = &checked.check {
        observer.stage(&Stage::Checked(check));
    }
    let taken_back = take_back(session, request, &checked)?;
    Ok(report(request, summed, checked, taken_back))
}

/// Takes everything back where the check is not good and the user wants that.
fn take_back(session: &Session, request: &ReceiveRequest, checked: &Checked) -> Result<bool, JobError> {
    if request.finish.effect != Effect::KeepIfGood || checked.check.as_ref().is_none_or(|check| check.verdict.passes())
    {
        return Ok(false);
    }
    let wanted = UndoRequest { id: checked.registered.change, dry_run: false };
    undo::run(session, &wanted).map_err(ReceiveError::not_undone)?;
    Ok(true)
}

fn report(request: &ReceiveRequest, summed: Summed, checked: Checked, taken_back: bool) -> Report<Received> {
    let Checked { registered, check } = checked;
    let Registered { placed, card, command_folders, stays_beside, stores, .. } = registered;
    let Placed { tool, left_out, preparation, dry_run, .. } = placed;
    let LaidOut { name, version, os, arch, layout, home, replaces, format, listing, .. } = tool;
    let findings = registered.findings.into_iter().chain(summed.findings()).chain(placed.findings).collect();
    let received = ReceivedTool {
        dry_run,
        archive: ReceivedArchive {
            file: request.source.file.clone().into(),
            address: request.source.address.as_ref().map(ToString::to_string),
            container: format.container,
            compression: format.compression,
            bytes: format.bytes,
            sha256: summed.sha256.to_string(),
            compared: !summed.published.is_empty(),
            published: summed.published,
            files: listing.files(),
            unpacked_bytes: listing.unpacked_bytes(),
        },
        tool: PlacedTool {
            name: name.to_string(),
            version: version.to_string(),
            os,
            arch,
            wrapper: layout.wrapper.into(),
            home: home.into(),
            replaced: replaces,
            command_folders: command_folders.into_iter().map(Into::into).collect(),
            commands: layout.commands,
            home_variables: card.registration.map(|r| r.home_variables).unwrap_or_default(),
            scope: request.placement.scope,
            stays_beside,
        },
        stores,
        prepared: preparation.report(),
        left_out,
        check,
        change: registered.change,
        taken_back,
    };
    Report::new(Received::Tool(Box::new(received))).with_findings(findings)
}
