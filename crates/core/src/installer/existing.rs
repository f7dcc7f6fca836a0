//! Looking first: which commands of an installer are here already, and what lies in the archive inside it.

use std::path::{Path, PathBuf};

use super::clash;
use super::facts::{AlreadyHere, Installer};
use crate::archive::{self, Options, Source};
use crate::check;
use crate::layout::{self, Target};
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, LookupContext};
use crate::session::{JobError, Session};
use crate::system::System;

/// At most this many commands are asked for their version.
const MOST: usize = 32;

/// Fills in the commands that the archive inside brings, which of all are here already, and what would clash. What cannot
/// be looked into is left as it is.
pub fn look_first(session: &Session, file: &Path, mut installer: Installer, runs: bool) -> Result<Installer, JobError> {
    let (machine, system, stop) = (&session.machine, session.system(), &session.stop);
    if let Some(at) = installer.inside_at.filter(|_| installer.commands.is_empty()) {
        installer.commands = commands_behind(file, at, system, stop).unwrap_or_default();
    }
    let Some(environment) = session.asking()?.environment() else { return Ok(installer) };
    let context = LookupContext::of(&environment, &machine.home);
    let winner = |name: &String| {
        let candidates = resolve::candidates(Caller::typed(system), name, &context, &Disk);
        Some((name.clone(), resolve::winner(&candidates)?.to_owned()))
    };
    let found: Vec<(String, PathBuf)> = installer.commands.iter().take(MOST).filter_map(winner).collect();
    let versions = if runs { check::versions(session, &found, &environment)? } else { Default::default() };
    let here = |(command, path): (String, PathBuf)| {
        let version = versions.get(&path).cloned();
        AlreadyHere { command, path: path.into(), version }
    };
    installer.here = found.into_iter().map(here).collect();
    installer.findings = clash::clashes(machine, &installer, &environment)?;
    Ok(installer)
}

fn commands_behind(file: &Path, at: u64, system: System, stop: &Stop) -> Option<Vec<String>> {
    let source = Source::behind(file, at).ok()?;
    let options = Options { leave_out_hazards: true, ..Options::default() };
    let listing = archive::list(&source, options, stop).ok()?;
    let layout = layout::analyse(&listing, &[], Target::here(system, true)).ok()?;
    Some(layout.commands.into_iter().map(|command| command.name).collect())
}
