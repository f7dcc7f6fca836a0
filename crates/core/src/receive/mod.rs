//! The main job: from a downloaded archive to a proven command.

mod adopt;
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
mod undo;
mod unpack;

use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;

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
pub use undo::{UndoError, UndoReport, undo};
pub use unpack::{UnpackReport, UnpackRequest, unpack};

use crate::archive::{self, Compression, Container, Finish, Format, LeftOut, Listing, Options, Source};
use crate::check::{CheckError, CheckReport, ToolCheck, Verdict, check};
use crate::checksum::Published;
use crate::error::FileContext;
use crate::finding::Finding;
use crate::layout::{self, Command, Guess, Layout, Target, ToolName, Variable, Version};
use crate::machine::Machine;
use crate::os;
use crate::path_list;
use crate::progress::{Processor, Progress, Stop};
use crate::store::{RegistryChange, StartupChange, StorePlan};
use crate::yard::{Acts, Card, CardLayout, Change, Requires, Scope, Yard};

/// What the user asks for.
#[derive(Debug, Clone, Default)]
pub struct ReceiveRequest {
    /// The downloaded file.
    pub file: PathBuf,
    /// What the publisher says of it.
    pub trust: Trust,
    /// How the archive is to be read.
    pub options: Options,
    /// The tool's name, where it is not to be guessed.
    pub name: Option<ToolName>,
    /// Its version, where it is not to be guessed.
    pub version: Option<Version>,
    /// Its command folders, where they are not to be found.
    pub command_folders: Vec<PathBuf>,
    /// Its home variables.
    pub home_variables: HomeVariables,
    /// Whose PATH.
    pub scope: Scope,
    /// What it needs besides itself.
    pub requires: Requires,
    /// Whether programs for other machines are taken.
    pub foreign: bool,
    /// Whether a version that is there already is replaced.
    pub replace: bool,
    /// Whether a version that is in service stays so.
    pub stay: bool,
    /// Whether everything is taken back when the check is not good.
    pub or_undo: bool,
    /// Whether only the plan is wanted.
    pub dry_run: bool,
}

/// Which variables point to a tool's home.
#[derive(Debug, Clone, Default)]
pub enum HomeVariables {
    /// `NAME_HOME`.
    #[default]
    Usual,
    /// None.
    None,
    /// These.
    These(Vec<Variable>),
}

/// A stage that has come to its end, for a line of progress.
#[derive(Debug)]
pub enum Stage<'a> {
    /// The file's format is known.
    Identified(&'a Format),
    /// Its checksum is known, and what it was compared with.
    Summed(&'a Summed),
    /// Name, version and layout are known.
    LaidOut(&'a ReceiveReport),
    /// The tool is in the stock, or would be.
    Unpacked(&'a ReceiveReport),
    /// The stores are changed, or would be.
    Registered(&'a ReceiveReport),
    /// Everything was checked.
    Checked(&'a ToolCheck),
}

/// Hears of stages and of progress within them.
pub trait Witness: Progress {
    /// A stage has ended.
    fn stage(&self, _stage: &Stage<'_>) {}
}

impl Witness for crate::progress::Silent {}

/// The report of `receive`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ReceiveReport {
    /// The format number.
    pub format: u32,
    /// `receive`.
    pub report: &'static str,
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// The file.
    pub file: PathBuf,
    /// The kind of archive.
    pub container: Container,
    /// How it is packed as a whole.
    pub compression: Compression,
    /// Its size in bytes.
    pub bytes: u64,
    /// Its SHA-256 in hex.
    pub sha256: String,
    /// Whether that was compared with a published one.
    pub compared: bool,
    /// The published checksums it was compared with.
    pub published: Vec<Published>,
    /// How many files it holds.
    pub files: usize,
    /// Their sizes together, in bytes.
    pub unpacked_bytes: u64,
    /// The tool.
    pub name: String,
    /// Its version.
    pub version: String,
    /// The system the names tell.
    pub os: Option<&'static str>,
    /// The processor the names tell.
    pub arch: Option<&'static str>,
    /// The wrapper folder that is removed; empty for none.
    pub wrapper: PathBuf,
    /// The tool's home.
    pub home: PathBuf,
    /// Whether a version that was there is replaced.
    pub replaced: bool,
    /// The command folders, absolute.
    pub command_folders: Vec<PathBuf>,
    /// The commands.
    pub commands: Vec<Command>,
    /// The variables that point to the home.
    pub home_variables: Vec<Variable>,
    /// Whose PATH.
    pub scope: Scope,
    /// The version that stays in service, where this one was only laid beside it.
    pub stays_beside: Option<String>,
    /// What happens to the startup files.
    pub startup_files: Vec<StartupChange>,
    /// What happens to values of the registry.
    pub registry_values: Vec<RegistryChange>,
    /// Entries that were left out because they could do harm.
    pub left_out: Vec<LeftOut>,
    /// The check at the end; null for a dry run.
    pub check: Option<ToolCheck>,
    /// Its verdict; null for a dry run.
    pub verdict: Option<Verdict>,
    /// The number of the change in the ledger; null for a dry run.
    pub change: Option<u64>,
    /// Whether everything was taken back, since the check was not good.
    pub taken_back: bool,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}

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
