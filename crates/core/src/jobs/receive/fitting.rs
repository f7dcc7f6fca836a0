//! Whether the programs of an archive can start on this machine, before any of them is put in place.

use std::collections::HashMap;
use std::path::Path;

use super::error::ReceiveError;
use super::request::ReceiveRequest;
use super::stages::LaidOut;
use crate::archive::{Entry, EntryKind};
use crate::environment::Environment;
use crate::finding::{Code, Finding};
use crate::jobs::script_fit::fit_of_script;
use crate::program::{Brought, Fit, Needs, ThisMachine, could_be_library};
use crate::session::{Session, SessionError};

/// So many libraries of an archive are looked into; of the others it counts that they are there.
const MOST_LIBRARIES: usize = 500;

/// Refuses a tool whose commands surely can't start: the one that is called like the tool, or else all of them. Tells of others
/// that can't.
///
/// # Errors
/// When so, or the user asked to stop.
pub(super) fn judge(session: &Session, request: &ReceiveRequest, tool: &LaidOut) -> Result<Vec<Finding>, ReceiveError> {
    if request.foreign {
        return Ok(Vec::new());
    }
    let unfit = unfit(tool, &session.machine.environment);
    if unfit.hindered.is_empty() {
        return Ok(Vec::new());
    }
    // What a new terminal sets may help.
    let asking = session.asking().map_err(ReceiveError::from)?;
    let unfit = asking.environment().map_or(unfit, |environment| self::unfit(tool, &environment));
    session.go_on().map_err(|e: SessionError| ReceiveError::from(e))?;
    let main = unfit.hindered.iter().find(|(name, _)| *name == tool.name.to_string());
    let all = unfit.hindered.first().filter(|_| unfit.hindered.len() == unfit.judged);
    if let Some((command, fit)) = main.or(all)
        && let (Some(why), Some(remedy)) = (fit.hindrance(), fit.remedy())
    {
        return Err(ReceiveError::CannotRun { command: command.clone(), why, remedy });
    }
    let finding = |(name, fit): &(String, Fit)| {
        let finding = Finding::new(Code::LibraryMissing, format!("{name} can't run here: {}", fit.hindrance()?));
        Some(finding.remedy(fit.remedy()?))
    };
    Ok(unfit.hindered.iter().filter_map(finding).collect())
}

/// The commands that surely can't start, and how many were judged.
struct Unfit {
    hindered: Vec<(String, Fit)>,
    judged: usize,
}

fn unfit(tool: &LaidOut, environment: &Environment) -> Unfit {
    let ends = tool.listing.link_ends();
    let root = tool.staged();
    let files: Vec<&Entry> = tool.listing.entries.iter().filter(|entry| entry.kind != EntryKind::Folder).collect();
    let end = |entry: &&Entry| ends.get(entry.path.as_path()).copied();
    let libraries = files.iter().filter(|entry| could_be_library(&entry.path.file_name())).take(MOST_LIBRARIES);
    let read: Vec<(String, Needs)> = libraries
        .filter_map(|entry| Some((entry.path.file_name().to_lowercase(), needs(end(entry).unwrap_or(entry), root)?)))
        .collect();
    let names = files.iter().map(|entry| entry.path.file_name()).filter(|name| could_be_library(name));
    let mut brought: Brought<'_> = names.map(|name| (name.to_lowercase(), None)).collect();
    brought.extend(read.iter().map(|(name, needs)| (name.clone(), needs.elf())));
    let by_place: HashMap<&Path, &Entry> = files.iter().map(|entry| (entry.path.as_path(), *entry)).collect();
    let machine = ThisMachine::new(environment);
    let mut unfit = Unfit { hindered: Vec::new(), judged: 0 };
    for command in &tool.layout.commands {
        let place = tool.layout.wrapper.join(&command.path);
        let Some(entry) = by_place.get(&*place).copied() else { continue };
        let entry = end(&entry).unwrap_or(entry);
        let line = entry.program.as_ref().and_then(|program| program.interpreter.as_deref());
        let fit = match (line, needs(entry, root)) {
            (Some(line), _) => fit_of_script(line, &tool.layout, environment),
            (None, Some(needs)) => needs.fit(None, &brought, &machine),
            (None, None) => continue,
        };
        unfit.judged += 1;
        if !fit.missing.is_empty() {
            unfit.hindered.push((command.name.clone(), fit));
        }
    }
    unfit
}

/// What a file needs: as it lies in staging, or as it was seen while it was listed.
fn needs(entry: &Entry, root: Option<&Path>) -> Option<Needs> {
    match root {
        Some(root) => Needs::at(&entry.path.under(root)),
        None => entry.needs.as_deref().cloned(),
    }
}
