//! The check of commands that are not the yard's: those in the folders of a new terminal's PATH.

use std::collections::HashSet;
use std::path::{Path, PathBuf};

use super::command::Job;
use super::{CheckError, CheckReport, Round, ToolCheck, Verdict};
use crate::machine::{Machine, variable};
use crate::os;
use crate::path;
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, Surroundings};
use crate::survey::commands_in;
use crate::system::System;
use crate::terminal::{self, Asking, Question};
use crate::yard::{Settings, Yard};

/// The folders of the system itself on Unix (hier(7)): what lies there came with it, and is not started to look at it.
const SYSTEM_FOLDERS: [&str; 4] = ["/bin", "/sbin", "/usr/bin", "/usr/sbin"];

/// Checks the commands in every folder of a new terminal's PATH, less those of the yard and the system's own: that each
/// of them runs from there in every new terminal and, with `runs`, that it starts. The tools of the report are folders.
///
/// # Errors
/// As [`super::check`].
pub fn check_path(
    machine: &Machine,
    yard: &Yard,
    settings: &Settings,
    runs: bool,
    stop: &Stop,
) -> Result<CheckReport, CheckError> {
    let shells = terminal::installed(machine, &settings.shells);
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let environment = asking.environment().unwrap_or_default();
    let around = Surroundings::of(&environment, &machine.home);
    let mut seen: HashSet<PathBuf> = system_folders(machine);
    let mut names: HashSet<String> = HashSet::new();
    let mut folders: Vec<(PathBuf, usize)> = Vec::new();
    let mut jobs = Vec::new();
    for folder in path::folders(&around) {
        let real = std::fs::canonicalize(&folder).unwrap_or_else(|_| folder.clone());
        if folder.starts_with(yard.root()) || !seen.insert(real) {
            continue;
        }
        // What an earlier folder has too is that one's.
        let before = jobs.len();
        for name in commands_in(&folder).into_iter().filter(|name| names.insert(name.clone())) {
            let candidates = resolve::candidates(Caller::typed(os::HERE), &name, &around, &Disk);
            if let Some(file) = resolve::winner(&candidates) {
                jobs.push(Job::stranger(name, file.to_owned()));
            }
        }
        folders.push((folder, jobs.len() - before));
    }
    let commands: Vec<String> = jobs.iter().map(|job| job.name.clone()).collect();
    let round = Round::new(machine, settings, Question { commands: &commands, variables: &[] }, runs, stop);
    let mut checked = round.commands(&jobs)?;
    let mut tools = Vec::new();
    for (folder, commands) in folders.into_iter().filter(|(_, commands)| *commands > 0) {
        let rest = checked.split_off(commands);
        let commands = std::mem::replace(&mut checked, rest);
        let verdict = commands.iter().map(|c| c.verdict).max().unwrap_or(Verdict::Good);
        let name = folder.display().to_string();
        let (requirements, findings) = (Vec::new(), Vec::new());
        tools.push(ToolCheck { name, version: String::new(), commands, verdict, requirements, findings });
    }
    Ok(CheckReport::of(tools))
}

pub(crate) fn system_folders(machine: &Machine) -> HashSet<PathBuf> {
    let root = variable(&machine.environment, "SystemRoot").map_or_else(|| PathBuf::from(r"C:\Windows"), PathBuf::from);
    let folders: Vec<PathBuf> = match os::HERE {
        System::Unix => SYSTEM_FOLDERS.iter().map(PathBuf::from).collect(),
        System::Windows => ["", "System32", r"System32\Wbem", r"System32\WindowsPowerShell\v1.0", r"System32\OpenSSH"]
            .iter()
            .map(|below| root.join(below))
            .collect(),
    };
    let real = |folder: &PathBuf| std::fs::canonicalize(folder).unwrap_or_else(|_| Path::new(folder).to_owned());
    folders.iter().map(real).collect()
}
