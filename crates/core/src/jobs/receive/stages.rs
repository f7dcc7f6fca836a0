//! The stages of receiving an archive, each a value that the next one consumes: identified, summed and staged, laid out,
//! placed, registered, checked.

use std::path::{Path, PathBuf};

use super::error::ReceiveError;
use super::request::{FinalCheck, ReceiveRequest, SameVersion, Service, source_file};
use crate::archive::{self, Finish, Format, LeftOut, Listing, Source};
use crate::change::{Change, Changeset};
use crate::check::{CheckError, ToolCheck, check};
use crate::checksum::{Published, Summed};
use crate::error::FileContext as _;
use crate::finding::Finding;
use crate::jobs::marking::pass_mark_on;
use crate::jobs::opening::Opened;
use crate::jobs::preparing::{self, Preparation, ToPrepare, add_launchers, homes};
use crate::jobs::retire::remove_old;
use crate::jobs::summing::while_summing;
use crate::jobs::tool_names::{NotGuessed, file_name, tool_names};
use crate::layout::{self, Layout, LayoutError, Target};
use crate::naming::{self, Guess, ToolName, Version};
use crate::os;
use crate::prepare::{Launcher, Placeholders, SingleFileTool};
use crate::progress::{Processor, Progress};
use crate::registration::registration;
use crate::session::{JobError, Session};
use crate::store::{StoreChanges, StorePlan};
use crate::yard::{self, Card, OtherSource, Stock, YardLock};

#[derive(Debug)]
pub struct Identified {
    source: Source,
    lone: Option<SingleFileTool>,
    guess: Guess,
    published: Vec<Published>,
}

impl Identified {
    /// Opens the file; from then on it is read whatever happens to its name.
    pub(super) fn open(session: &Session, request: &ReceiveRequest) -> Result<Self, JobError> {
        let Opened { source, lone, guess } = Opened::open(session, &request.source.file, session.system())?;
        let published = request.source.trust.published(&request.source.file)?;
        Ok(Self { source, lone, guess, published })
    }

    pub fn format(&self) -> &Format {
        &self.source.format
    }

    /// Refuses what can't be kept before it is unpacked: in most cases the file's name tells it.
    pub(super) fn refuse_early(&self, session: &Session, request: &ReceiveRequest) -> Result<(), JobError> {
        match names(request, &self.guess) {
            Ok((name, version)) => is_present(session, &name, &version, request.placement.same_version).map(drop),
            Err(_) => Ok(()),
        }
    }

    /// Unpacks into the yard's staging, or only lists for a dry run, while the checksum is computed; nothing of it is used
    /// before that was compared.
    pub(super) fn sum_and_stage(
        self,
        session: &Session,
        request: &ReceiveRequest,
        progress: &dyn Progress,
    ) -> Result<(Summed, Staged), JobError> {
        let Self { source, lone, guess, published } = self;
        let unpack = |other: &Processor| unpack(&source, session, request, progress, other);
        let (summed, (root, listing)) = while_summing(&source, published, &session.stop, unpack)?;
        Ok((summed, Staged { format: source.format, lone, guess, root, listing, with: Vec::new() }))
    }
}

/// The archive's content: in a folder of the yard's staging that goes away by itself, or only listed.
#[derive(Debug)]
pub struct Staged {
    format: Format,
    lone: Option<SingleFileTool>,
    guess: Guess,
    pub(super) root: Option<tempfile::TempDir>,
    pub(super) listing: Listing,
    pub(super) with: Vec<OtherSource>,
}

pub(super) fn unpack(
    source: &Source,
    session: &Session,
    request: &ReceiveRequest,
    progress: &dyn Progress,
    other: &Processor,
) -> Result<(Option<tempfile::TempDir>, Listing), JobError> {
    // What its settings will be can only be told of its files.
    let is_looked_into = !request.placement.launchers.is_empty()
        || request.placement.prepare.as_ref().is_some_and(|steps| !steps.is_empty());
    if request.rehearses() && !is_looked_into {
        return Ok((None, archive::list(source, request.reading.options, &session.stop)?));
    }
    let staging = if request.rehearses() { std::env::temp_dir() } else { session.yard.staging() };
    os::make_folders(&staging).at("make the folder", &staging)?;
    let root = tempfile::Builder::new().prefix("receive-").tempdir_in(&staging).at("make a folder in", &staging)?;
    os::set_folder_mode(root.path(), 0o755).at("set the rights of", root.path())?;
    progress.begin("unpack", None);
    let listing = archive::unpack(source, root.path(), request.reading.options, progress, &session.stop, other);
    progress.end();
    Ok((Some(root), listing?))
}

impl Staged {
    /// Finds name, version, wrapper, command folders and commands; refuses links that lead out of the tool's folder.
    pub(super) fn lay_out(mut self, session: &Session, request: &ReceiveRequest) -> Result<LaidOut, JobError> {
        if request.reading.options.leave_out_hazards {
            let root = self.root.as_ref().map(tempfile::TempDir::path);
            self.listing.leave_out_links(&layout::wrapper(&self.listing), root)?;
        }
        let target = Target::here(session.system(), request.reading.foreign);
        let launches = !request.placement.launchers.is_empty() || self.lone.is_some();
        let mut layout = match layout::analyse(&self.listing, &request.reading.command_folders, target) {
            Err(LayoutError::NoCommands | LayoutError::Source(_) | LayoutError::PowerShell(_)) if launches => Layout {
                wrapper: layout::wrapper(&self.listing),
                command_folders: Vec::new(),
                commands: Vec::new(),
                completions: Vec::new(),
            },
            other => other?,
        };
        let _ = Finish::check(&self.listing, &layout.wrapper)?;
        let guess = self.guess.or(naming::guess(&file_name(&layout.wrapper)));
        let (name, version) = names(request, &guess)?;
        let replaces = is_present(session, &name, &version, request.placement.same_version)?;
        let home = session.yard.home(&name, &version);
        let mut launchers = request.placement.launchers.clone();
        if let Some(lone) = self.lone.filter(|_| launchers.is_empty()) {
            launchers.push(lone.launcher(&name, &request.source.file, session.system()));
        }
        add_launchers(&mut layout.command_folders, &mut layout.commands, &launchers, session.system());
        let Self { format, root, listing, with, .. } = self;
        Ok(LaidOut {
            name,
            version,
            os: guess.os,
            arch: guess.arch,
            layout,
            home,
            replaces,
            format,
            listing,
            launchers,
            with,
            root,
        })
    }
}

#[derive(Debug)]
pub struct LaidOut {
    pub name: ToolName,
    pub version: Version,
    pub os: Option<&'static str>,
    pub arch: Option<&'static str>,
    pub layout: Layout,
    pub home: PathBuf,
    pub replaces: bool,
    pub format: Format,
    pub listing: Listing,
    pub launchers: Vec<Launcher>,
    pub with: Vec<OtherSource>,
    root: Option<tempfile::TempDir>,
}

impl LaidOut {
    /// Where it was unpacked, unless it was only listed.
    pub(super) fn staged(&self) -> Option<&Path> {
        self.root.as_ref().map(tempfile::TempDir::path)
    }

    /// Completes the tool in staging: links are made, execute bits set.
    pub(super) fn place(
        self,
        session: &Session,
        request: &ReceiveRequest,
        summed: &Summed,
        mut findings: Vec<Finding>,
    ) -> Result<Placed, JobError> {
        let mut left_out = self.listing.left_out.clone();
        findings.extend(pass_mark_on(
            &request.source.file,
            request.source.trusted,
            summed,
            &self.listing,
            self.staged(),
        ));
        if let Some(root) = &self.root {
            let finished =
                Finish::check(&self.listing, &self.layout.wrapper)?.apply(root.path(), request.reading.options)?;
            findings.extend(finished.finding());
            left_out.extend(finished.left_out);
        }
        let preparation = self.prepare(session, request)?;
        Ok(Placed { tool: self, left_out, findings, preparation, dry_run: request.rehearses() })
    }

    /// Writes settings and launchers into the staged tool, or only plans that.
    fn prepare(&self, session: &Session, request: &ReceiveRequest) -> Result<Preparation, JobError> {
        let Some(root) = &self.root else { return Ok(Preparation::default()) };
        let folder = root.path().join(&self.layout.wrapper);
        let stock = session.stock()?;
        let mut homes = homes(&session.yard, &stock);
        homes.extend(request.placement.homes.clone());
        let tool = ToPrepare {
            folder: &folder,
            placeholders: Placeholders { home: self.home.clone(), version: self.version.clone(), homes },
            steps: request.placement.prepare.as_deref(),
            launchers: &self.launchers,
            written: None,
            system: session.system(),
        };
        let earlier = match self.replaces {
            true => stock.version(&self.name, &self.version),
            false => stock.in_service().into_iter().find(|card| card.name == self.name),
        };
        let earlier = earlier.filter(|_| request.placement.service == Service::Take);
        let preparation = preparing::plan(&tool, earlier, &session.yard)?;
        preparation.write_into(&folder)?;
        Ok(preparation)
    }
}

/// The tool is whole, and goes to its place together with its registration.
#[derive(Debug)]
pub struct Placed {
    pub tool: LaidOut,
    pub left_out: Vec<LeftOut>,
    pub findings: Vec<Finding>,
    pub preparation: Preparation,
    pub dry_run: bool,
}

impl Placed {
    /// Writes card and stores and moves the tool into the stock, as one change; without a lock only what would be done is
    /// worked out.
    pub(super) fn register(
        self,
        session: &Session,
        request: &ReceiveRequest,
        summed: &Summed,
        lock: Option<YardLock>,
    ) -> Result<Registered, JobError> {
        let stock = session.cards()?;
        let LaidOut { name, version, layout, home, replaces, root, .. } = &self.tool;
        let mut card = card(request, &self.tool, &self.preparation, summed)?;
        let stays_beside = if request.placement.service == Service::LeaveToOther {
            other_in_service(&stock, name, version)
        } else {
            None
        };
        if stays_beside.is_some() {
            card.registration = None;
        }
        let registrar = session.registrar(&stock)?;
        let plan = card.registration.is_some().then(|| registrar.plan(Some(&card), None)).transpose()?;
        let mut change = None;
        if let (Some(root), Some(lock)) = (root, &lock) {
            let mut changeset = Changeset::default();
            if *replaces {
                let id = session.yard.ledger().read()?.next_id();
                changeset.shift(home, &session.yard.retired_home(name, version, id));
            }
            match &plan {
                Some(plan) => changeset.extend(registrar.changeset(plan, Some(&card), None)?),
                None => session.yard.put_card(&mut changeset, &card)?,
            }
            // Last: a card without its folder does not count, whatever else has been done.
            changeset.shift(&root.path().join(&layout.wrapper), home);
            let does = format!("receive {name} {version}");
            change = lock.carry_out(Change { does, undoes: None, changeset })?;
            remove_old(&session.yard, lock)?;
        }
        let command_folders = session.yard.registered(&card).map(|r| r.command_folders).unwrap_or_default();
        Ok(Registered {
            stores: plan.as_ref().map(StorePlan::changes).unwrap_or_default(),
            findings: plan.as_ref().map(StorePlan::findings).unwrap_or_default(),
            placed: self,
            card,
            command_folders,
            stays_beside,
            change,
        })
    }
}

/// The tool is in the stock, its card is written, and new terminals should have it.
#[derive(Debug)]
pub struct Registered {
    pub placed: Placed,
    pub card: Card,
    /// The command folders that are registered, absolute.
    pub command_folders: Vec<PathBuf>,
    /// The version that stays in service, where this one was only laid beside it.
    pub stays_beside: Option<String>,
    pub stores: StoreChanges,
    pub findings: Vec<Finding>,
    pub change: Option<u64>,
}

impl Registered {
    /// Checks the tool in new terminals, unless nothing was registered.
    pub(super) fn check(self, session: &Session, request: &ReceiveRequest) -> Result<Checked, JobError> {
        if self.placed.dry_run || request.finish.check == FinalCheck::None || self.card.registration.is_none() {
            return Ok(Checked { registered: self, check: None });
        }
        let checked = match check(session, std::slice::from_ref(&self.card), request.finish.check == FinalCheck::Whole)
        {
            Err(error) if matches!(error.of(), Some(CheckError::Interrupted)) => {
                let Card { name, version, .. } = self.card;
                return Err(ReceiveError::CheckInterrupted { name, version }.into());
            }
            other => other?,
        };
        Ok(Checked { registered: self, check: checked.into_body().tools.into_iter().next() })
    }
}

#[derive(Debug)]
pub struct Checked {
    pub registered: Registered,
    /// What new terminals say; `None` where nothing was registered.
    pub check: Option<ToolCheck>,
}

/// Name and version: as given, else as guessed.
fn names(request: &ReceiveRequest, guess: &Guess) -> Result<(ToolName, Version), NotGuessed> {
    tool_names(request.reading.name.as_ref(), request.reading.version.as_ref(), guess, &request.source.file)
}

/// Whether the version is there already; an error where it may not be replaced.
fn is_present(session: &Session, name: &ToolName, version: &Version, same: SameVersion) -> Result<bool, JobError> {
    let present = session.yard.home(name, version).exists();
    if present && same == SameVersion::Refuse {
        let stock = session.stock()?;
        let registered = stock.version(name, version).is_none_or(|card| card.registration.is_some());
        return Err(ReceiveError::Present { name: name.clone(), version: version.clone(), registered }.into());
    }
    Ok(present)
}

/// The version of a tool that is registered, where it is another one.
fn other_in_service(stock: &Stock, name: &ToolName, version: &Version) -> Option<String> {
    let mut cards = stock.iter();
    let other = cards.find(|c| c.name == *name && c.version != *version && c.registration.is_some())?;
    Some(other.version.to_string())
}

fn card(
    request: &ReceiveRequest,
    tool: &LaidOut,
    preparation: &Preparation,
    summed: &Summed,
) -> Result<Card, JobError> {
    let home_variables = request.placement.home_variables.of(&tool.name).map_err(ReceiveError::HomeVariable)?;
    let file = std::path::absolute(&request.source.file).unwrap_or_else(|_| request.source.file.clone());
    let LaidOut { name, version, layout, format, .. } = tool;
    let source = yard::Source {
        file: source_file(&file, request.source.address.as_ref()),
        address: request.source.address.as_ref().map(ToString::to_string),
        bytes: format.bytes,
        sha256: summed.sha256.to_string(),
        compared: !summed.published.is_empty(),
        with: tool.with.clone(),
    };
    Ok(Card {
        probe: request.placement.probe.clone(),
        requires: request.placement.requires.clone(),
        prepare: preparation.steps.clone(),
        prepared: preparation.written.clone(),
        launchers: tool.launchers.clone(),
        trials: request.placement.trials.clone(),
        registration: Some(registration(request.placement.scope, home_variables)),
        ..Card::new(name.clone(), version.clone(), source, layout)
    })
}
