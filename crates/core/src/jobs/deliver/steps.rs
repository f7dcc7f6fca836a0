//! What is done to one tool.

use std::path::{Path, PathBuf};

use super::difference::{home_variables, recorded, requires, scope};
use super::report::DeliveryStep;
use crate::checksum::{Algorithm, Checksum, Trust};
use crate::download::Address;
use crate::error::Blamed;
use crate::jobs::adopt::{self, AdoptRequest};
use crate::jobs::card_change::change_card;
use crate::jobs::receive::{self, Observer, ReceiveRequest, Received};
use crate::jobs::register::{self, Registering};
use crate::jobs::retire;
use crate::progress::Progress;
use crate::registration::registration;
use crate::session::{Session, SessionError};
use crate::waybill::{Place, WaybillSource, WaybillTool};

/// Why a tool is not as the waybill says.
#[derive(Debug)]
pub(super) struct Failed {
    /// In words, with what to do next.
    pub why: String,
    /// Whether the user asked to stop.
    pub interrupted: bool,
}

impl<E: Blamed> From<E> for Failed {
    fn from(error: E) -> Self {
        let next = error.hint().map(|hint| format!("; {hint}")).unwrap_or_default();
        let mut why = error.to_string();
        let mut cause = std::error::Error::source(&error);
        while let Some(inner) = cause {
            why.push_str(&format!(": {inner}"));
            cause = inner.source();
        }
        Self { why: why + &next, interrupted: error.blame() == crate::error::Blame::Interrupted }
    }
}

fn failed(why: String) -> Failed {
    Failed { why, interrupted: false }
}

/// Hears of progress, and of no stages: a delivery has a line for each tool.
struct OnlyProgress<'a>(&'a dyn Progress);

impl Progress for OnlyProgress<'_> {
    fn begin(&self, stage: &'static str, total: Option<u64>) {
        self.0.begin(stage, total);
    }

    fn advance(&self, bytes: u64) {
        self.0.advance(bytes);
    }

    fn end(&self) {
        self.0.end();
    }
}

impl Observer for OnlyProgress<'_> {}

/// A tool, and where it comes from.
#[derive(Debug, Clone, Copy)]
pub(super) struct Wanted<'a> {
    /// What the waybill says.
    pub tool: &'a WaybillTool,
    /// The source for this machine.
    pub source: Option<&'a WaybillSource>,
    /// The folder that files are relative to.
    pub folder: &'a Path,
}

impl Wanted<'_> {
    fn id(&self) -> String {
        format!("{}@{}", self.tool.name, self.tool.version)
    }

    /// The address that one of these steps downloads from.
    pub fn address(&self, steps: &[DeliveryStep]) -> Option<Address> {
        let receives = matches!(steps.first(), Some(DeliveryStep::Receive | DeliveryStep::Replace));
        match self.source?.place()? {
            Place::Url(url) if receives => Address::parse(url).ok(),
            _ => None,
        }
    }

    /// Does what is to be done, in one change where that can be; its number.
    pub fn carry_out(
        &self,
        session: &Session,
        steps: &[DeliveryStep],
        progress: &dyn Progress,
    ) -> Result<Option<u64>, Failed> {
        match steps.first() {
            Some(DeliveryStep::Receive | DeliveryStep::Replace) => self.receive(session, progress)?,
            Some(DeliveryStep::Adopt) => self.adopt(session)?,
            Some(DeliveryStep::Switch | DeliveryStep::Register) => self.register(session)?,
            Some(DeliveryStep::Record) => {
                change_card(session, &self.id(), "change the card of", false, |card| {
                    *card = recorded(self.tool, card);
                })?;
            }
            Some(DeliveryStep::Retire) | None => return Ok(None),
        }
        last_change(session)
    }

    fn source(&self) -> Result<(&WaybillSource, Place<'_>), Failed> {
        let none = || failed("no source for this machine".to_owned());
        let source = self.source.ok_or_else(none)?;
        Ok((source, source.place().ok_or_else(none)?))
    }

    fn receive(&self, session: &Session, progress: &dyn Progress) -> Result<(), Failed> {
        let (source, place) = self.source()?;
        let tool = self.tool;
        let mut request = ReceiveRequest {
            name: Some(tool.name.clone()),
            version: Some(tool.version.clone()),
            command_folders: tool.command_folders.clone(),
            home_variables: home_variables(tool),
            scope: scope(tool),
            requires: requires(tool),
            trials: tool.trials.iter().map(Into::into).collect(),
            unchecked: true,
            replace: true,
            ..ReceiveRequest::default()
        };
        if let Some(probe) = &tool.probe {
            (request.probe, request.expect) = (probe.arguments.clone(), probe.expect.clone());
        }
        if let Some(sum) = &source.sha256 {
            let sum = Checksum::parse(Algorithm::Sha256, sum).map_err(|error| failed(error.to_string()))?;
            request.trust = Trust { checksums: vec![sum], list: None };
        }
        match place {
            Place::File(file) => request.file = self.folder.join(file),
            Place::Url(url) => request.address = Some(Address::parse(url).map_err(|error| failed(error.to_string()))?),
            Place::Folder(_) => {}
        }
        match receive::run(session, &request, &OnlyProgress(progress))?.into_body() {
            Received::Tool(_) => Ok(()),
            _ => Err(failed("it is an installer; use 'wyard receive'".to_owned())),
        }
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
        let stock = session.stock()?;
        let card = stock.find(&self.id())?;
        if recorded(self.tool, card) != *card {
            change_card(session, &self.id(), "change the card of", false, |card| {
                *card = recorded(self.tool, card);
            })?;
        }
        Ok(())
    }

    /// Registers it as the waybill says, in place of another version where one is in use; what its card says changes with it.
    fn register(&self, session: &Session) -> Result<(), Failed> {
        session.check_scope(scope(self.tool))?;
        let lock = session.lock_unless(false)?;
        let stock = session.cards()?;
        let mut card = recorded(self.tool, stock.find(&self.id())?);
        let variables = home_variables(self.tool).of(&self.tool.name).map_err(|error| failed(error.to_string()))?;
        card.registration = Some(registration(scope(self.tool), variables));
        register::change(session, &stock, card, Registering::Register(Some(scope(self.tool))), lock)?;
        Ok(())
    }
}

/// Where a waybill's files are relative to.
pub(super) fn folder_of(waybill: &Path) -> PathBuf {
    let absolute = std::path::absolute(waybill).unwrap_or_else(|_| waybill.to_owned());
    absolute.parent().map(Path::to_owned).unwrap_or_default()
}

/// The number of the change that was made last.
fn last_change(session: &Session) -> Result<Option<u64>, Failed> {
    let last = session.yard.ledger().read().map_err(SessionError::from)?.records.pop();
    Ok(last.map(|record| record.id))
}

/// Retires all versions of a tool. The number of the change.
pub(super) fn retire_all(session: &Session, name: &str) -> Result<Option<u64>, Failed> {
    retire::retire(session, name, false)?;
    last_change(session)
}
