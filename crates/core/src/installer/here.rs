//! Looking first: which commands of an installer are here already, and what lies in the archive inside it.

use std::path::{Path, PathBuf};

use super::{AlreadyHere, Installer, clash};
use crate::archive::{self, Options, Source};
use crate::check;
use crate::layout::{self, Target};
use crate::machine::Machine;
use crate::os;
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, Surroundings};
use crate::terminal::{self, Asking};
use crate::yard::{Settings, Yard, YardError};

/// So many commands are asked for their version.
const MOST: usize = 32;

/// Fills in the commands that the archive inside brings, which of all are here already, and what would clash. What cannot
/// be looked into is left as it is.
///
/// # Errors
/// When the yard's settings or the registry cannot be read.
pub fn look_first(
    machine: &Machine,
    file: &Path,
    mut installer: Installer,
    runs: bool,
    stop: &Stop,
) -> Result<Installer, YardError> {
    if let Some(at) = installer.inside_at.filter(|_| installer.commands.is_empty()) {
        installer.commands = commands_behind(file, at, stop).unwrap_or_default();
    }
    let settings: Settings = Yard::of(machine).settings()?;
    let shells = terminal::installed(machine, &settings.shells);
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let Some(environment) = asking.environment() else { return Ok(installer) };
    let around = Surroundings::of(&environment, &machine.home);
    let found: Vec<(String, PathBuf)> = installer
        .commands
        .iter()
        .take(MOST)
        .filter_map(|name| {
            let candidates = resolve::candidates(Caller::typed(os::HERE), name, &around, &Disk);
            Some((name.clone(), resolve::winner(&candidates)?.to_owned()))
        })
        .collect();
    let versions = if runs { check::versions(&found, &environment, stop) } else { vec![None; found.len()] };
    let here = found.into_iter().zip(versions);
    installer.here = here.map(|((command, path), version)| AlreadyHere { command, path, version }).collect();
    installer.findings = clash::clashes(machine, &installer, &environment)?;
    Ok(installer)
}

fn commands_behind(file: &Path, at: u64, stop: &Stop) -> Option<Vec<String>> {
    let source = Source::behind(file, at).ok()?;
    let options = Options { leave_out_hazards: true, ..Options::default() };
    let listing = archive::list(&source, options, stop).ok()?;
    let layout = layout::analyse(&listing, &[], Target::here(true)).ok()?;
    Some(layout.commands.into_iter().map(|command| command.name).collect())
}
