//! What is tried in throw-away homes: the demo, kills, undo, and that questions leave nothing behind.

use std::io;
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::thread;
use std::time::Instant;

use serde_json::Value;

use super::rehearsal::{Rehearsal, SCRATCH, State, difference, told, until};
use super::report::SelfTestStep;
use crate::os::SealLevel;
use crate::process::{self, Ending};
use crate::progress::Stop;
use crate::system::System;

const KILLS: u32 = 12;

/// The demo, in a folder where its downloads stay: every step of it has to come out as it should.
pub fn demo(kept: &Path, scratch: &Path, program: &Path, ends: Instant, stop: &Stop) -> SelfTestStep {
    let mut step = SelfTestStep::new("the demo: install, trace, check, deliver, compare");
    let mut command = std::process::Command::new(program);
    command.args(["demo", "--json", "--keep"]).arg(kept).env_remove("WYARD_YARD").env_remove("SHELL");
    command.envs(SCRATCH.map(|name| (name, scratch)));
    let outcome = process::run(command, until(ends), stop);
    let document: Value = serde_json::from_slice(&outcome.stdout).unwrap_or_default();
    step.times = document["calls"].as_array().map_or(0, Vec::len);
    let wrong = document["wrong"].as_array().cloned().unwrap_or_default();
    step.wrong = wrong.iter().map(|wrong| wrong.as_str().unwrap_or_default().to_owned()).collect();
    if !matches!(outcome.ending, Ending::Exited(status) if status.success()) && step.wrong.is_empty() {
        step.wrong.push(told(&["demo"], &outcome));
    }
    step
}

pub fn download(kept: &Path) -> Option<PathBuf> {
    let entries = std::fs::read_dir(kept.join("downloads")).ok()?.flatten().map(|entry| entry.path());
    entries.into_iter().find(|path| path.file_name().is_some_and(|n| n.to_string_lossy().starts_with("tidelog-")))
}

/// An installation that is killed at twelve moments of its time, or fewer where those took `enough`: the next call brings it to
/// its end, and undoing gives every byte back.
pub fn kills(rehearsal: &Rehearsal<'_>, download: &Path, enough: Instant, stop: &Stop) -> io::Result<SelfTestStep> {
    let mut step = SelfTestStep::new("interrupted installations, completed by the next call, then undone");
    let download = download.to_string_lossy().into_owned();
    let receive = ["receive", "--replace", &*download];
    let before = rehearsal.state()?;
    let started = Instant::now();
    if let Err(why) = rehearsal.ends_well(&receive) {
        step.wrong.push(why);
        return Ok(step);
    }
    let whole = started.elapsed();
    let after = rehearsal.state()?;
    undone(rehearsal, &before, &mut step, "after a whole installation")?;
    for kill in 0..KILLS {
        if kill > 0 && Instant::now() > enough || stop.requested() {
            break;
        }
        step.times += 1;
        let moment = whole * (2 * kill + 1) / (2 * KILLS);
        let mut command = rehearsal.command(&receive);
        let mut child = command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null()).spawn()?;
        thread::sleep(moment);
        child.kill()?;
        child.wait()?;
        let at = format!("killed after {} ms", moment.as_millis());
        if let Err(why) = rehearsal.ends_well(&receive) {
            step.wrong.push(format!("{at}: {why}"));
            continue;
        }
        let left = difference(&after, &rehearsal.state()?);
        if !left.is_empty() {
            step.wrong.push(format!("{at}: the completed installation differs in {}", left.join(", ")));
        }
        undone(rehearsal, &before, &mut step, &at)?;
    }
    Ok(step)
}

fn undone(rehearsal: &Rehearsal<'_>, before: &State, step: &mut SelfTestStep, when: &str) -> io::Result<()> {
    rehearsal.undo_all();
    let left = difference(before, &rehearsal.state()?);
    if !left.is_empty() {
        step.wrong.push(format!("{when}: undo did not restore {}", left.join(", ")));
    }
    Ok(())
}

/// Questions to terminals at each level of sealing, from the best one here on: nothing of the home is changed, and the winner is
/// the installed file at all of them.
pub fn questions(rehearsal: &Rehearsal<'_>, download: &Path, best: SealLevel) -> io::Result<SelfTestStep> {
    let mut step = SelfTestStep::new("asking new terminals, without changing anything");
    if let Err(why) = rehearsal.ends_well(&["receive", "--replace", &download.to_string_lossy()]) {
        step.wrong.push(why);
        return Ok(step);
    }
    if rehearsal.machine.system() == System::Unix {
        for name in [".profile", ".bashrc", ".zshrc"] {
            let file = rehearsal.machine.home.join(name);
            let text = [std::fs::read(&file)?, b"\necho asked >> \"$HOME/asked\"\n".to_vec()].concat();
            std::fs::write(file, text)?;
        }
    }
    let before = rehearsal.state()?;
    let stock = rehearsal.machine.yard.join("stock");
    let windows = rehearsal.machine.system() == System::Windows;
    // Where nothing seals, startup files do what they do in any terminal.
    for level in SealLevel::ALL.into_iter().filter(|level| *level >= best && (windows || *level != SealLevel::None)) {
        step.times += 1;
        std::fs::write(rehearsal.machine.yard.join("settings.toml"), format!("seal = \"{}\"\n", level.name()))?;
        let arguments = ["trace", "tidelog", "--terminal", "new", "--json"];
        let outcome = rehearsal.call(&arguments);
        let document: Value = serde_json::from_slice(&outcome.stdout).unwrap_or_default();
        let callers = document["commands"][0]["callers"].as_array().cloned().unwrap_or_default();
        if callers.is_empty() {
            step.wrong.push(told(&arguments, &outcome));
        }
        for caller in callers.iter().filter(|caller| caller["caller"] != "createprocess") {
            let winner = caller["winner"].as_str().unwrap_or_default();
            let is_known = !winner.is_empty() || level != SealLevel::NoWrites;
            if is_known && !Path::new(winner).starts_with(&stock) {
                step.wrong.push(format!("at {}: {} finds \"{winner}\"", level.name(), caller["caller"]));
            }
        }
        let left = difference(&before, &rehearsal.state()?);
        if !left.is_empty() {
            step.wrong.push(format!("at {}: changed {}", level.name(), left.join(", ")));
        }
    }
    Ok(step)
}
