//! `trial`: run a tool's own small tests; and the trials on a card, added and dropped.

use serde::Serialize;

use crate::check::{self, TrialObserver, TrialResult};
use crate::error::classified;
use crate::jobs::card_change::change_card;
use crate::report::{Report, ReportBody};
use crate::session::{JobError, Session};
use crate::yard::{Card, Trial};

/// What is asked of `trial`.
#[derive(Debug, Clone)]
pub enum TrialRequest {
    Run {
        tool: String,
        /// Whether the folders the trials ran in are kept.
        keep: bool,
    },
    /// Add a trial to a tool's card, or replace the one with the same title.
    Add {
        tool: String,
        trial: Box<Trial>,
        dry_run: bool,
    },
    Drop {
        tool: String,
        title: String,
        dry_run: bool,
    },
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(untagged)]
pub enum Tried {
    Ran { trials: Vec<TrialResult>, passed: bool },
    Kept(KeptTrials),
}

impl ReportBody for Tried {
    fn name(&self) -> &'static str {
        match self {
            Self::Ran { .. } => "trial",
            Self::Kept(_) => "trials",
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct KeptTrials {
    pub dry_run: bool,
    pub tool: String,
    pub version: String,
    pub trials: Vec<String>,
}

#[derive(Debug, thiserror::Error)]
pub enum TrialJobError {
    #[error("{tool} has no trial called \"{title}\"")]
    NoTrial { tool: String, title: String },
}

classified!(TrialJobError {
    Self::NoTrial { .. } => Call, "its card in the yard's folder 'cards' lists them";
});

/// Runs a tool's trials, or changes them. A trial that fails makes the report fail.
pub fn run(session: &Session, request: &TrialRequest, observer: &dyn TrialObserver) -> Result<Report<Tried>, JobError> {
    match request {
        TrialRequest::Run { tool, keep } => {
            let stock = session.stock()?;
            let trials = check::trial(session, stock.find(tool)?, *keep, observer)?;
            let passed = trials.iter().all(|trial| trial.passed);
            Ok(Report::new(Tried::Ran { trials, passed }).failed_if(!passed))
        }
        TrialRequest::Add { tool, trial, dry_run } => {
            check::check_trial(trial)?;
            let card = change_card(session, tool, "add a trial to", *dry_run, |card| {
                card.trials.retain(|other| other.name != trial.name);
                card.trials.push((**trial).clone());
            })?;
            Ok(kept(&card, *dry_run))
        }
        TrialRequest::Drop { tool, title, dry_run } => {
            if !session.stock()?.find(tool)?.trials.iter().any(|trial| trial.name == *title) {
                return Err(TrialJobError::NoTrial { tool: tool.clone(), title: title.clone() }.into());
            }
            let card = change_card(session, tool, "drop a trial of", *dry_run, |card| {
                card.trials.retain(|trial| trial.name != *title);
            })?;
            Ok(kept(&card, *dry_run))
        }
    }
}

fn kept(card: &Card, dry_run: bool) -> Report<Tried> {
    Report::new(Tried::Kept(KeptTrials {
        dry_run,
        tool: card.name.to_string(),
        version: card.version.to_string(),
        trials: card.trials.iter().map(|trial| trial.name.clone()).collect(),
    }))
}
