//! `check`: whether received tools work in every new terminal.

use crate::check::{CheckedTools, check, check_path};
use crate::error::classified;
use crate::jobs::card_change::change_card;
use crate::report::Report;
use crate::session::{JobError, Session};
use crate::yard::{Card, CardProbe, Requires};

/// What is asked of `check`.
#[derive(Debug, Clone, Default)]
pub struct CheckRequest {
    /// The tools, as NAME or NAME@VERSION; none means all in service.
    pub names: Vec<String>,
    pub runs: bool,
    /// Whether the commands in the other folders of PATH are checked instead.
    pub all_path: bool,
    pub probe: ProbeChange,
    /// What the tool needs from now on; `None` leaves that as it is.
    pub requires: Option<Requires>,
    pub dry_run: bool,
}

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub enum ProbeChange {
    #[default]
    Stays,
    Usual,
    /// With these arguments, for this answer, or until this end; what is not given stays.
    Set(CardProbe),
}

#[derive(Debug, thiserror::Error)]
pub enum CheckJobError {
    /// What a card is to say is said of one tool.
    #[error("these options take exactly one tool")]
    OneTool,
}

classified!(CheckJobError {
    Self::OneTool => Call;
});

/// Checks the named tools, or all in service; what is to be kept is written on the tool's card first.
///
/// # Errors
/// When there is no such tool, or no check could be made. A bad verdict is no error.
pub fn run(session: &Session, request: &CheckRequest) -> Result<Report<CheckedTools>, JobError> {
    if request.all_path {
        return check_path(session, request.runs);
    }
    let mut findings = Vec::new();
    let cards: Vec<Card> = if is_kept(request) {
        vec![keep(session, request)?]
    } else {
        let stock = session.stock()?;
        if request.names.is_empty() {
            // A tool that nothing is known of is not good.
            findings = stock.findings();
            stock.in_service().into_iter().cloned().collect()
        } else {
            request.names.iter().map(|name| stock.find(name).cloned()).collect::<Result<_, _>>()?
        }
    };
    Ok(check(session, &cards, request.runs)?.with_findings(findings))
}

fn is_kept(request: &CheckRequest) -> bool {
    request.probe != ProbeChange::Stays || request.requires.is_some()
}

/// Keeps on a tool's card how its commands are to be asked, and what it needs.
fn keep(session: &Session, request: &CheckRequest) -> Result<Card, JobError> {
    let [name] = &request.names[..] else { return Err(CheckJobError::OneTool.into()) };
    change_card(session, name, "change what is asked of", request.dry_run, |card| {
        match &request.probe {
            ProbeChange::Stays => {}
            ProbeChange::Usual => card.probe = None,
            ProbeChange::Set(probe) => card.probe = Some(card.probe.take().unwrap_or_default().changed(probe)),
        }
        if let Some(requires) = &request.requires {
            card.requires = requires.clone();
        }
    })
}
