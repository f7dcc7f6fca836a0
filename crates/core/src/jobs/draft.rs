//! `draft`: a waybill of the yard as it is.

use std::path::PathBuf;

use serde::Serialize;

use crate::error::{Blame, Blamed};
use crate::os;
use crate::report::{Report, ReportBody};
use crate::scope::Scope;
use crate::session::{Session, SessionError, meets_session};
use crate::waybill::{Waybill, WaybillRequires, WaybillSource, WaybillTool};
use crate::yard::{Card, YardError};

/// A waybill that was drafted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Draft {
    /// Its text.
    pub text: String,
    /// How many tools it has.
    pub tools: usize,
}

impl ReportBody for Draft {
    fn name(&self) -> &'static str {
        "draft"
    }
}

/// Why no waybill could be drafted.
#[derive(Debug, thiserror::Error)]
pub enum DraftError {
    /// The yard has no tools.
    #[error("the yard has no tools")]
    Empty,
    /// It cannot be written as text.
    #[error("the waybill could not be written as text")]
    Text(#[from] toml::ser::Error),
    /// What any job can meet.
    #[error(transparent)]
    Session(#[from] SessionError),
}

meets_session!(DraftError: YardError);

impl Blamed for DraftError {
    fn blame(&self) -> Blame {
        match self {
            Self::Empty => Blame::Call,
            Self::Text(_) => Blame::Machine,
            Self::Session(e) => e.blame(),
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Empty => Some("to add one: wyard receive FILE".to_owned()),
            Self::Text(_) => None,
            Self::Session(e) => e.hint(),
        }
    }
}

/// Drafts a waybill of the tools in use.
///
/// # Errors
/// When the yard has none, or a card cannot be read.
pub fn run(session: &Session) -> Result<Report<Draft>, DraftError> {
    let stock = session.cards()?;
    let tools: Vec<WaybillTool> = stock.in_service().into_iter().map(of_card).collect();
    if tools.is_empty() {
        return Err(DraftError::Empty);
    }
    let count = tools.len();
    let text = toml::to_string_pretty(&Waybill::of(tools))?;
    Ok(Report::new(Draft { text, tools: count }))
}

fn of_card(card: &Card) -> WaybillTool {
    let registration = card.registration.as_ref();
    let usual = card.name.home_variable().ok().map(|usual| vec![usual]);
    let home_variables = registration.map(|registration| registration.home_variables.clone());
    let command_folders = &card.layout.command_folders;
    WaybillTool {
        name: card.name.clone(),
        version: card.version.clone(),
        home_variables: home_variables.filter(|variables| Some(variables) != usual.as_ref()),
        scope: registration.map(|registration| registration.scope).filter(|scope| *scope != Scope::User),
        command_folders: if card.folder.is_some() { command_folders.clone() } else { Vec::new() },
        commands: Vec::new(),
        probe: card.probe.clone(),
        requires: WaybillRequires {
            tools: Vec::new(),
            commands: card.requires.commands.clone(),
            variables: card.requires.variables.clone(),
        },
        sources: vec![source(card)],
        trials: card.trials.iter().map(Into::into).collect(),
    }
}

/// Where a tool came from; what is known of that holds for this system and processor only.
fn source(card: &Card) -> WaybillSource {
    let here = WaybillSource {
        os: Some(os::SYSTEM.to_owned()),
        arch: Some(std::env::consts::ARCH.to_owned()),
        ..WaybillSource::default()
    };
    if let Some(folder) = &card.folder {
        return WaybillSource { folder: Some(folder.clone()), ..here };
    }
    let sha256 = Some(card.source.sha256.clone()).filter(|sum| !sum.is_empty());
    match &card.source.address {
        Some(address) => WaybillSource { url: Some(address.clone()), sha256, ..here },
        None => WaybillSource { file: Some(PathBuf::from(&card.source.file)), sha256, ..here },
    }
}
