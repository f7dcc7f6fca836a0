//! What is done to one tool.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use super::difference::{home_variables, recorded, requires, scope};
use super::report::DeliveryStep;
use crate::change::{Change, Changeset};
use crate::checksum::{Algorithm, Checksum, Trust};
use crate::download::Address;
use crate::installer::InstallPlan;
use crate::jobs::adopt::{self, AdoptRequest};
use crate::jobs::card_change::change_card;
use crate::jobs::consent::Consent;
use crate::jobs::preparing::{self, Preparation, PreparedReport, ToPrepare, add_launchers, homes};
use crate::jobs::receive::{
    self, Effect, FinalCheck, Finish, FurtherArchive, Observer, Placement, Reading, ReceiveError, ReceiveRequest,
    ReceiveSource, Received, SameVersion,
};
use crate::jobs::register::{self, Registering};
use crate::jobs::retire;
use crate::naming::ToolName;
use crate::prepare::{Placeholders, PrepareError};
use crate::progress::{Progress, Silent};
use crate::registration::registration;
use crate::report::Report;
use crate::session::{JobError, Session};
use crate::waybill::{Place, WaybillArchive, WaybillSource, WaybillTool};
use crate::yard::{Card, Stock};

#[derive(Debug)]
pub(super) struct Failed {
    pub why: String,
    /// Whether the user asked to stop.
    pub interrupted: bool,
}

impl<E: Into<JobError>> From<E> for Failed {
    fn from(error: E) -> Self {
        let error = error.into();
        let interrupted = error.is_interruption();
        let error = error.error();
        let next = error.hint().map(|hint| format!("; {hint}")).unwrap_or_default();
        let mut why = error.to_string();
        let mut cause = error.source();
        while let Some(inner) = cause {
            why.push_str(&format!(": {inner}"));
            cause = inner.source();
        }
        Self { why: why + &next, interrupted }
    }
}

pub(super) fn failed(why: impl Into<String>) -> Failed {
    Failed { why: why.into(), interrupted: false }
}

/// Hears of progress, and of no stages: a delivery has a line for each tool.
struct OnlyProgress<'a> {
    progress: &'a dyn Progress,
    agreed: bool,
}

impl Progress for OnlyProgress<'_> {
    fn begin(&self, stage: &'static str, total: Option<u64>) {
        self.progress.begin(stage, total);
    }

    fn advance(&self, bytes: u64) {
        self.progress.advance(bytes);
    }

    fn end(&self) {
        self.progress.end();
    }
}

impl Observer for OnlyProgress<'_> {
    fn consents(&self, _plan: &InstallPlan) -> Consent {
        if self.agreed { Consent::Given } else { Consent::NobodyToAsk }
    }
}

#[derive(Debug, Clone, Copy)]
pub(super) struct Wanted<'a> {
    pub tool: &'a WaybillTool,
    pub source: Option<&'a WaybillSource>,
    pub folder: &'a Path,
    pub homes: &'a HashMap<String, PathBuf>,
    /// Whether installers may be run that the waybill allows.
    pub agreed: bool,
}

impl Wanted<'_> {
    fn id(&self) -> String {
        format!("{}@{}", self.tool.name, self.tool.version)
    }

    pub fn addresses(&self, steps: &[DeliveryStep]) -> Vec<Address> {
        let receives = matches!(steps.first(), Some(DeliveryStep::Receive | DeliveryStep::Replace));
        let Some(source) = self.source.filter(|_| receives) else { return Vec::new() };
        let places = [source.place()].into_iter().chain(source.with.iter().map(WaybillArchive::place)).flatten();
        let address = |place| if let Place::Url(url) = place { Address::parse(url).ok() } else { None };
        places.filter_map(address).collect()
    }

    /// Does what is to be done, in one change where that can be; its number.
    pub fn carry_out(
        &self,
        session: &Session,
        steps: &[DeliveryStep],
        prepared: &mut Vec<PreparedReport>,
        progress: &dyn Progress,
    ) -> Result<Option<u64>, Failed> {
        match steps.first() {
            Some(DeliveryStep::Receive) => *prepared = self.receive(session, SameVersion::Refuse, progress)?,
            Some(DeliveryStep::Replace) => *prepared = self.receive(session, SameVersion::Replace, progress)?,
            Some(DeliveryStep::Adopt) => self.adopt(session)?,
            Some(DeliveryStep::Switch | DeliveryStep::Register) => self.register(session)?,
            Some(DeliveryStep::Prepare | DeliveryStep::Record) => self.prepare(session)?,
            Some(DeliveryStep::Retire) | None => return Ok(None),
        }
        last_change(session)
    }

    /// The homes that its texts may name.
    fn required_homes(&self) -> impl Iterator<Item = (String, PathBuf)> {
        let home = |name: &ToolName| Some((name.to_string(), self.homes.get(name.as_str())?.clone()));
        self.tool.requires.tools.iter().filter_map(home)
    }

    fn source(&self) -> Result<(&WaybillSource, Place<'_>), Failed> {
        let none = || failed("no source for this machine");
        let source = self.source.ok_or_else(none)?;
        Ok((source, source.place().ok_or_else(none)?))
    }

    /// What `receive` is asked for.
    fn request(&self) -> Result<ReceiveRequest, Failed> {
        let (source, place) = self.source()?;
        let tool = self.tool;
        let trust = |sha256: &Option<String>| {
            let sum = sha256.as_ref().map(|sum| Checksum::parse(Algorithm::Sha256, sum)).transpose();
            Ok::<_, Failed>(Trust { checksums: sum.map_err(failed)?.into_iter().collect(), list: None })
        };
        let located = |place: Place<'_>| match place {
            Place::File(file) | Place::Folder(file) => Ok((self.folder.join(file), None)),
            Place::Url(url) => Address::parse(url)
                .map(|address| (PathBuf::new(), Some(address)))
                .map_err(|error| failed(error.to_string())),
        };
        let further = |archive: &WaybillArchive| {
            let (file, address) = located(archive.place().ok_or_else(|| failed("no further archive"))?)?;
            Ok(FurtherArchive { file, address, trust: trust(&archive.sha256)? })
        };
        let (file, address) = located(place)?;
        let mut placement = Placement {
            home_variables: home_variables(tool),
            scope: scope(tool),
            prepare: Some(tool.prepare.clone()).filter(|steps| !steps.is_empty()),
            launchers: tool.launchers.clone(),
            homes: self.required_homes().collect(),
            ..Placement::default()
        };
        // What only an archive takes is recorded afterwards, where it may be an installer.
        if !tool.allow_installer {
            placement.requires = requires(tool);
            placement.trials = tool.trials.iter().map(Into::into).collect();
            placement.probe = tool.probe.clone();
        }
        Ok(ReceiveRequest {
            source: ReceiveSource {
                file,
                address,
                trust: trust(&source.sha256)?,
                with: source.with.iter().map(further).collect::<Result<_, Failed>>()?,
                ..ReceiveSource::default()
            },
            reading: Reading {
                name: Some(tool.name.clone()),
                version: Some(tool.version.clone()),
                command_folders: tool.command_folders.clone(),
                ..Reading::default()
            },
            placement,
            finish: Finish { check: FinalCheck::None, ..Finish::default() },
            ..ReceiveRequest::default()
        })
    }

    fn receive(
        &self,
        session: &Session,
        same_version: SameVersion,
        progress: &dyn Progress,
    ) -> Result<Vec<PreparedReport>, Failed> {
        let mut request = self.request()?;
        request.placement.same_version = same_version;
        let observer = OnlyProgress { progress, agreed: self.agreed && self.tool.allow_installer };
        let is_unwanted = |error: &JobError| {
            matches!(error.of(), Some(ReceiveError::NobodyToAsk | ReceiveError::NotForInstaller { .. }))
        };
        let prepared = match receive::run(session, &request, &observer) {
            Err(error) if is_unwanted(&error) => {
                let rule = "it needs allow_installer = true in the waybill, and --yes";
                let source = self.source.and_then(WaybillSource::place).map(|place| place.to_string());
                return Err(failed(format!("{} is an installer; {rule}", source.unwrap_or_default())));
            }
            received => match received?.into_body() {
                Received::Tool(received) => received.prepared,
                Received::Installed(installed) if installed.well && installed.adopted.is_some() => Vec::new(),
                Received::Installed(installed) => return Err(failed(format!("the installer {}", installed.ended))),
                Received::Plan(_) => return Err(failed("the installer was not run")),
            },
        };
        self.record(session)?;
        Ok(prepared)
    }

    /// The files that receiving it would prepare, where its source is at hand.
    pub fn preview(&self, session: &Session) -> Result<Vec<PreparedReport>, Failed> {
        match self
            .rehearsal()?
            .map(|request| receive::run(session, &request, &Silent))
            .transpose()?
            .map(Report::into_body)
        {
            Some(Received::Tool(received)) => Ok(received.prepared),
            _ => Ok(Vec::new()),
        }
    }

    /// What is wrong with its launchers, as far as that is seen before it is received; what else is wrong is told then.
    pub fn launcher_trouble(&self, session: &Session) -> Option<String> {
        let error = receive::run(session, &self.rehearsal().ok()??, &Silent).err()?;
        matches!(error.of(), Some(PrepareError::Launcher { .. })).then(|| error.to_string())
    }

    /// What shows how it would be prepared; `None` where nothing is, or its source is not at hand.
    fn rehearsal(&self) -> Result<Option<ReceiveRequest>, Failed> {
        if self.tool.prepare.is_empty() && self.tool.launchers.is_empty() {
            return Ok(None);
        }
        let mut request = self.request()?;
        (request.finish.effect, request.placement.same_version) = (Effect::Rehearse, SameVersion::Replace);
        let is_here = |file: &Path, address: &Option<Address>| address.is_none() && file.is_file();
        let is_at_hand = is_here(&request.source.file, &request.source.address)
            && request.source.with.iter().all(|further| is_here(&further.file, &further.address));
        Ok(Some(request).filter(|_| is_at_hand))
    }

    fn adopt(&self, session: &Session) -> Result<(), Failed> {
        let (_, place) = self.source()?;
        let Place::Folder(folder) = place else { return Ok(()) };
        let request = AdoptRequest {
            folder: self.folder.join(folder),
            name: Some(self.tool.name.clone()),
            version: Some(self.tool.version.clone()),
            command_folders: self.tool.command_folders.clone(),
            home_variables: home_variables(self.tool),
            scope: scope(self.tool),
            ..AdoptRequest::default()
        };
        adopt::run(session, &request)?;
        self.record(session)
    }

    fn record(&self, session: &Session) -> Result<(), Failed> {
        let stock = session.stock()?;
        let card = stock.find(&self.id())?;
        if recorded(self.tool, card) != *card {
            change_card(session, &self.id(), "change the card of", false, |card| {
                *card = recorded(self.tool, card);
            })?;
        }
        Ok(())
    }

    /// What is to be written into its home, where it is in the yard.
    pub fn preparation(&self, session: &Session, stock: &Stock, card: &Card) -> Result<Preparation, Failed> {
        let (steps, launchers) = (&self.tool.prepare, &self.tool.launchers);
        if steps.is_empty() && launchers.is_empty() {
            return Ok(Preparation::as_it_is(card));
        }
        if card.folder.is_some() {
            return Err(failed("its folder was adopted; such a tool is not prepared".to_owned()));
        }
        let home = session.yard.home_of(card);
        let mut homes = homes(&session.yard, stock);
        homes.extend(self.required_homes());
        let placeholders = Placeholders { home: home.clone(), version: card.version.clone(), homes };
        let tool = ToPrepare {
            folder: &home,
            placeholders,
            steps: Some(if steps.is_empty() { &card.prepare } else { steps }),
            launchers,
            written: Some(&card.prepared),
            system: session.system(),
        };
        let earlier = stock.in_service().into_iter().find(|other| other.name == card.name);
        let earlier = earlier.filter(|other| other.version != card.version);
        Ok(preparing::plan(&tool, earlier, &session.yard)?)
    }

    /// Whether anything of that differs from what is there.
    pub fn is_unprepared(&self, card: &Card, preparation: &Preparation) -> bool {
        let has_other_launchers = !self.tool.launchers.is_empty() && self.tool.launchers != card.launchers;
        !preparation.files.is_empty() || preparation.steps != card.prepare || has_other_launchers
    }

    /// Registers it as the waybill says, in place of another version where one is in use; what its card says, and what is
    /// prepared, changes with it.
    fn register(&self, session: &Session) -> Result<(), Failed> {
        session.check_scope(scope(self.tool))?;
        let lock = session.lock_unless(false)?;
        let stock = session.cards()?;
        let mut card = recorded(self.tool, stock.find(&self.id())?);
        let preparation = self.preparation(session, &stock, &card)?;
        self.launch(session, &mut card);
        let variables = home_variables(self.tool).of(&self.tool.name).map_err(|error| failed(error.to_string()))?;
        card.registration = Some(registration(scope(self.tool), variables));
        let does = Registering::Register(Some(scope(self.tool)));
        register::change(session, &stock, card, does, Some(&preparation), lock)?;
        Ok(())
    }

    /// Writes what is prepared, and its card; with new launchers it is registered anew.
    fn prepare(&self, session: &Session) -> Result<(), Failed> {
        let lock = session.lock()?;
        let stock = session.cards()?;
        let before = stock.find(&self.id())?;
        let mut card = recorded(self.tool, before);
        let preparation = self.preparation(session, &stock, &card)?;
        self.launch(session, &mut card);
        if card.layout != before.layout && card.registration.is_some() {
            drop(lock);
            return self.register(session);
        }
        let mut changeset = Changeset::default();
        preparation.changes(&mut changeset, &session.yard.home_of(&card));
        let does = if preparation.files.is_empty() { "change the card of" } else { "prepare" };
        (card.prepare, card.prepared) = (preparation.steps, preparation.written);
        session.yard.put_card(&mut changeset, &card)?;
        lock.carry_out(Change { does: format!("{does} {} {}", card.name, card.version), undoes: None, changeset })?;
        Ok(())
    }

    fn launch(&self, session: &Session, card: &mut Card) {
        if !self.tool.launchers.is_empty() {
            card.launchers.clone_from(&self.tool.launchers);
            add_launchers(&mut card.layout.command_folders, &mut card.commands, &card.launchers, session.system());
        }
    }
}

pub(super) fn folder_of(waybill: &Path) -> PathBuf {
    let absolute = std::path::absolute(waybill).unwrap_or_else(|_| waybill.to_owned());
    absolute.parent().map(Path::to_owned).unwrap_or_default()
}

fn last_change(session: &Session) -> Result<Option<u64>, Failed> {
    let last = session.yard.ledger().read()?.records.pop();
    Ok(last.map(|record| record.id))
}

/// Retires all versions of a tool. The number of the change.
pub(super) fn retire_all(session: &Session, name: &str) -> Result<Option<u64>, Failed> {
    retire::retire(session, name, false)?;
    last_change(session)
}
