//! Whether the programs of an archive can start on this machine, before any of them is put in place.

use super::error::ReceiveError;
use super::request::ReceiveRequest;
use super::stages::LaidOut;
use crate::finding::{Code, Finding};
use crate::jobs::fit::{Files, Unplaced};
use crate::program::Fit;
use crate::session::{JobError, Session};

/// Refuses a tool whose commands surely can't start: the one that is called like the tool, or else all of them. Tells of others
/// that can't.
pub(super) fn judge(session: &Session, request: &ReceiveRequest, tool: &LaidOut) -> Result<Vec<Finding>, JobError> {
    if request.reading.foreign {
        return Ok(Vec::new());
    }
    let files = Files::of(&tool.listing);
    let unplaced = Unplaced { listing: &tool.listing, files: &files, layout: &tool.layout, root: tool.staged() };
    if unplaced.fits_anywhere(&session.machine.environment) {
        return Ok(Vec::new());
    }
    // What counts is what a new terminal sets.
    let environment = session.asking()?.environment();
    let environment = environment.as_ref().unwrap_or(&session.machine.environment);
    let unfit = Unfit::of(tool, unplaced.fits_by_answers(session, environment)?);
    session.bail_if_interrupted()?;
    let main = unfit.hindered.iter().find(|(name, _)| *name == tool.name.to_string());
    let all = unfit.hindered.first().filter(|_| unfit.hindered.len() == unfit.judged);
    if let Some((command, fit)) = main.or(all)
        && let (Some(why), Some(remedy)) = (fit.hindrance(), fit.remedy())
    {
        return Err(ReceiveError::CannotRun { command: command.clone(), why, remedy }.into());
    }
    let finding = |(name, fit): &(String, Fit)| {
        let finding = Finding::new(Code::LibraryMissing, format!("{name} cannot run here: {}", fit.hindrance()?));
        Some(finding.remedy(fit.remedy()?))
    };
    Ok(unfit.hindered.iter().filter_map(finding).collect())
}

/// The commands that surely can't start, and how many were judged.
struct Unfit {
    hindered: Vec<(String, Fit)>,
    judged: usize,
}

impl Unfit {
    fn of(tool: &LaidOut, fits: Vec<Option<Fit>>) -> Self {
        let named =
            tool.layout.commands.iter().zip(fits).filter_map(|(command, fit)| Some((command.name.clone(), fit?)));
        let named: Vec<(String, Fit)> = named.collect();
        let judged = named.len();
        Self { hindered: named.into_iter().filter(|(_, fit)| !fit.missing.is_empty()).collect(), judged }
    }
}
