//! The main job: from a downloaded archive to a proven command.

mod adopt;
mod contents;
mod download;
mod error;
mod history;
mod inspect;
mod mend;
mod placement;
mod registration;
mod retire;
mod stock;
mod switch;
mod told;
mod undo;
mod unpack;

use std::fs;
use std::path::Path;

pub(crate) use adopt::look_for_tool;
pub use adopt::{AdoptReport, AdoptRequest, FoundTool, SearchReport, adopt, search};
pub use download::{ChecksumError, Summed, Trust};
pub(crate) use download::{compare, published};
pub use error::ReceiveError;
pub use history::{ChangeTold, Difference as ChangeDifference, HistoryReport, history};
pub use inspect::{InspectReport, InspectRequest, InspectedCommand, Suggested, inspect};
pub use mend::{MendReport, mend};
pub use registration::{RegisterReport, Registrar, now, register, unregister};
pub use retire::{RetireReport, empty_retired, retire};
pub use stock::{ForeignCopy, NewTerminals, OtherMeaning, StockReport, StockTool, stock};
pub use switch::{SwitchReport, switch};
pub use told::{HomeVariables, ReceiveReport, ReceiveRequest, Stage, Witness};
pub use undo::{UndoError, UndoReport, undo};
pub use unpack::{UnpackReport, UnpackRequest, unpack};

use crate::archive::{self, Finish, Format, Listing, Source};
use crate::check::{CheckError, CheckReport, check};
use crate::error::FileContext;
use crate::layout::{self, Guess, Layout, Target, ToolName, Version};
use crate::machine::Machine;
use crate::os;
use crate::path_list;
use crate::progress::{Processor, Stop};
use crate::store::StorePlan;
use crate::yard::{Acts, Card, CardLayout, Change, Yard};

/// Receives a tool.
///
/// # Errors
/// With what was wrong; the stock then holds either nothing or the whole tool, and the message says which.
pub fn receive(
    machine: &Machine,
    request: &ReceiveRequest,
    witness: &dyn Witness,
    stop: &Stop,
) -> Result<ReceiveReport, ReceiveError> {
    if !request.dry_run {
        registration::check_scope(machine, request.scope)?;
    }
    let yard = Yard::of(machine);
    path_list::check_entry(yard.root(), os::HERE)
        .map_err(|source| ReceiveError::YardPlace { yard: yard.root().to_owned(), source })?;
    let settings = yard.settings()?;
    let source = Source::open(&request.file, &std::env::temp_dir(), stop)?;
    let format = &source.format;
    witness.stage(&Stage::Identified(format));
    let published = published(&request.file, &request.trust)?;

    let lock = if request.dry_run { None } else { Some(yard.lock()?) };
    let registrar = Registrar::new(machine, &yard, &settings, stop);
    let file_guess = guess_names(&request.file, format);
    // Known this early in most cases; it saves unpacking what can't be kept.
    if let Ok((name, version)) = names(request, &file_guess) {
        placement::look(&yard, &name, &version, request.replace)?;
    }
    let into_staging = |other: &_| Staged::unpack(request, &source, &yard, witness, stop, other);
    let (summed, mut staged) = download::while_summing(&source, published, stop, into_staging)?;
    witness.stage(&Stage::Summed(&summed));
    if request.options.leave_out_hazards {
        let root = staged.root.as_ref().map(tempfile::TempDir::path);
        staged.listing.leave_out_links(&layout::wrapper(&staged.listing), root)?;
    }
    let layout = layout::analyse(&staged.listing, &request.command_folders, Target::here(request.foreign))?;
    let finish = Finish::check(&staged.listing, &layout.wrapper)?;
    let guess = file_guess.or(layout::guess(&file_name(&layout.wrapper)));
    let (name, version) = names(request, &guess)?;
    let present = placement::look(&yard, &name, &version, request.replace)?;
    let mut card = card(request, format, &summed, &layout, &name, &version)?;
    let stays_beside = if request.stay { other_in_service(&yard, &name, &version)? } else { None };
    if stays_beside.is_some() {
        card.registration = None;
    }
    let registration = card.registration.is_some().then(|| registrar.plan(Some(&card), None)).transpose()?;

    let home = yard.home(&name, &version);
    let mut report = ReceiveReport {
        format: 1,
        report: "receive",
        dry_run: request.dry_run,
        file: request.file.clone(),
        container: format.container,
        compression: format.compression,
        bytes: format.bytes,
        sha256: summed.sha256.to_string(),
        compared: !summed.published.is_empty(),
        published: summed.published.clone(),
        files: staged.listing.files(),
        unpacked_bytes: staged.listing.unpacked_bytes(),
        name: name.to_string(),
        version: version.to_string(),
        os: guess.os,
        arch: guess.arch,
        wrapper: layout.wrapper.clone(),
        replaced: present,
        command_folders: yard.registered(&card).map(|r| r.command_folders).unwrap_or_default(),
        commands: layout.commands,
        home_variables: card.registration.iter().flat_map(|r| r.home_variables.clone()).collect(),
        scope: request.scope,
        stays_beside,
        startup_files: registration.as_ref().map(StorePlan::startup_files).unwrap_or_default(),
        registry_values: registration.as_ref().map(StorePlan::registry_values).unwrap_or_default(),
        home,
        check: None,
        verdict: None,
        change: None,
        taken_back: false,
        left_out: staged.listing.left_out.clone(),
        findings: registration.as_ref().map(StorePlan::findings).unwrap_or_default(),
    };
    report.findings.extend(summed.finding());
    witness.stage(&Stage::LaidOut(&report));
    if let Some(root) = &staged.root {
        let finished = finish.apply(root.path(), request.options)?;
        report.findings.extend(unpack::links_copied(finished.copied));
        report.left_out.extend(finished.left_out);
    }
    if let (Some(root), Some(lock)) = (&staged.root, &lock) {
        let mut acts = Acts::default();
        if present {
            let id = yard.ledger().read()?.next_id();
            acts.shift(&report.home, &yard.retired_home(&name, &version, id));
        }
        match &registration {
            Some(plan) => acts.extend(registrar.acts(plan, Some(&card), None)?),
            None => yard.put_card(&mut acts, &card)?,
        }
        // Last: a card without its folder does not count, whatever else has been done.
        acts.shift(&root.path().join(&layout.wrapper), &report.home);
        report.change = lock.carry_out(Change { does: format!("receive {name} {version}"), undoes: None, acts })?;
        retire::remove_old(&yard, lock)?;
    }
    witness.stage(&Stage::Unpacked(&report));
    witness.stage(&Stage::Registered(&report));
    if request.dry_run || registration.is_none() {
        return Ok(report);
    }
    drop(staged);
    drop(lock);

    let CheckReport { mut tools, verdict, .. } = match check(machine, &yard, &settings, &[card], true, stop) {
        Err(CheckError::Interrupted) => return Err(ReceiveError::CheckInterrupted { name, version }),
        other => other?,
    };
    report.check = tools.pop();
    report.verdict = Some(verdict);
    if let Some(checked) = &report.check {
        witness.stage(&Stage::Checked(checked));
    }
    if request.or_undo && !verdict.passes() {
        undo(machine, report.change, false, stop).map_err(|e| ReceiveError::NotUndone { source: Box::new(e) })?;
        report.taken_back = true;
    }
    Ok(report)
}

/// The version of a tool that is registered, where it is another one.
fn other_in_service(yard: &Yard, name: &ToolName, version: &Version) -> Result<Option<String>, ReceiveError> {
    let cards = yard.cards()?.into_iter();
    let mut others = cards.filter(|c| c.name == *name && c.version != *version && c.registration.is_some());
    Ok(others.next().map(|card| card.version.to_string()))
}

/// The archive's content: in a folder of the yard's staging that goes away by itself, or only listed.
struct Staged {
    root: Option<tempfile::TempDir>,
    listing: Listing,
}

impl Staged {
    fn unpack(
        request: &ReceiveRequest,
        source: &Source,
        yard: &Yard,
        witness: &dyn Witness,
        stop: &Stop,
        other: &Processor,
    ) -> Result<Self, ReceiveError> {
        if request.dry_run {
            return Ok(Self { root: None, listing: archive::list(source, request.options, stop)? });
        }
        let staging = yard.staging();
        fs::create_dir_all(&staging).at("make the folder", &staging)?;
        let root = tempfile::Builder::new().prefix("receive-").tempdir_in(&staging).at("make a folder in", &staging)?;
        os::set_folder_mode(root.path(), 0o755).at("set the rights of", root.path())?;
        witness.begin("unpack", None);
        let listing = archive::unpack(source, root.path(), request.options, witness, stop, other);
        witness.end();
        Ok(Self { root: Some(root), listing: listing? })
    }
}

/// What the names tell: the file's, and that of the archive inside it.
fn guess_names(file: &Path, format: &Format) -> Guess {
    let guess = layout::guess(&file_name(file));
    match &format.inner {
        Some(inner) => guess.or(layout::guess(inner)),
        None => guess,
    }
}

fn file_name(path: &Path) -> String {
    path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}

/// Name and version: as given, else as guessed; never invented.
fn names(request: &ReceiveRequest, guess: &Guess) -> Result<(ToolName, Version), ReceiveError> {
    names_or(request.name.as_ref(), request.version.as_ref(), guess, &request.file)
}

fn names_or(
    name: Option<&ToolName>,
    version: Option<&Version>,
    guess: &Guess,
    file: &Path,
) -> Result<(ToolName, Version), ReceiveError> {
    let name = name.cloned().or_else(|| guess.name.as_ref()?.parse().ok());
    let version = version.cloned().or_else(|| guess.version.as_ref()?.parse().ok());
    match (name, version) {
        (Some(name), Some(version)) => Ok((name, version)),
        (name, version) => {
            Err(ReceiveError::NotGuessed { file: file.to_owned(), name: name.is_none(), version: version.is_none() })
        }
    }
}

fn card(
    request: &ReceiveRequest,
    format: &Format,
    summed: &Summed,
    layout: &Layout,
    name: &ToolName,
    version: &Version,
) -> Result<Card, ReceiveError> {
    let home_variables = match &request.home_variables {
        HomeVariables::Usual => vec![name.home_variable().map_err(ReceiveError::HomeVariable)?],
        HomeVariables::None => Vec::new(),
        HomeVariables::These(given) => given.clone(),
    };
    let file = std::path::absolute(&request.file).unwrap_or_else(|_| request.file.clone());
    Ok(Card {
        card: 1,
        name: name.clone(),
        version: version.clone(),
        received: now(),
        source: crate::yard::Source {
            file: file.to_string_lossy().into_owned(),
            bytes: format.bytes,
            sha256: summed.sha256.to_string(),
            compared: !summed.published.is_empty(),
        },
        layout: CardLayout { wrapper: layout.wrapper.clone(), command_folders: layout.command_folders.clone() },
        commands: layout.commands.clone(),
        folder: None,
        uninstaller: None,
        added: Vec::new(),
        probe: None,
        answers: std::collections::BTreeMap::new(),
        requires: request.requires.clone(),
        trials: Vec::new(),
        registration: Some(registration::registration(request.scope, home_variables)),
    })
}
