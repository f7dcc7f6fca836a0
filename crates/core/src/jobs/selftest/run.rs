//! The self-test from its beginning to its end.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use serde_json::Value;

use super::rehearsal::Rehearsal;
use super::report::SelfTest;
use super::steps;
use crate::error::{FileContext as _, classified};
use crate::facts::{FoundProgram, MachineFacts};
use crate::judges::{JudgedCaller, Judging, judge};
use crate::machine::Machine;
use crate::os::{self, SealLevel};
use crate::report::Report;
use crate::resolve::Shell;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::snapshot::Private;
use crate::system::System;
use crate::terminal::{self, InstalledShell};
use crate::whole_file;

/// How many machines are made, if there is time.
const MACHINES: usize = 300;

/// How the time is divided. What always has to be done comes first: the demo, one killed installation, the questions. The
/// others fill what is left.
struct Times {
    /// When whatever still runs is ended, which is told as a failure.
    ends: Instant,
    demo: Duration,
    /// When no more installations are killed, but for the first.
    kills_until: Instant,
    lookups: Duration,
    /// When no more of them are made.
    lookups_until: Instant,
}

impl Times {
    fn from_now(limit: Duration) -> Self {
        let now = Instant::now();
        Self {
            ends: now + limit * 23 / 24,
            demo: limit * 2 / 3,
            kills_until: now + limit * 7 / 12,
            lookups: limit * 3 / 8,
            lookups_until: now + limit * 3 / 4,
        }
    }
}

/// What is asked of `selftest`.
#[derive(Debug, Clone)]
pub struct SelfTestRequest {
    pub into: Option<PathBuf>,
    /// What the made machines come from; `None` takes a new one.
    pub seed: Option<u64>,
    pub limit: Duration,
    pub program: PathBuf,
    pub version: String,
}

#[derive(Debug, thiserror::Error)]
pub enum SelfTestError {
    #[error("{} exists, and is not a report of 'wyard selftest'", .0.display())]
    InTheWay(PathBuf),
    #[error("the self-test cannot use {}: {}", folder.display(), why)]
    Unfit { folder: PathBuf, why: &'static str },
    #[error("the self-test could not work in the folder for temporary files")]
    Work(#[source] io::Error),
}

classified!(SelfTestError {
    Self::InTheWay(_) => Call, "name another file";
    Self::Unfit { .. } | Self::Work(_) => Machine, {
        let variable = if os::SYSTEM == "windows" { "TEMP" } else { "TMPDIR" };
        Some(format!("set {variable} to another folder"))
    };
});

/// Hears what is being tried.
pub type StageObserver<'a> = &'a dyn Fn(&'static str);

pub fn run(
    session: &Session,
    request: &SelfTestRequest,
    stage: StageObserver<'_>,
) -> Result<Report<SelfTest>, JobError> {
    if let Some(into) = &request.into {
        if into.exists() && !is_report(into) {
            return Err(SelfTestError::InTheWay(into.clone()).into());
        }
        whole_file::would_replace(into)?;
    }
    let work = tempfile::Builder::new().prefix("wyard-selftest-").tempdir().map_err(SelfTestError::Work)?;
    let tested = tried(session, request, work.path(), stage);
    work.close().map_err(SelfTestError::Work)?;
    let tested = tested?;
    let held = tested.held();
    let report = Report::new(tested).failed_if(!held);
    if let Some(into) = &request.into {
        let text = serde_json::to_vec_pretty(&report).map_err(io::Error::from).at("write", into)?;
        whole_file::replace(into, &[text, b"\n".to_vec()].concat())?;
    }
    Ok(report)
}

fn tried(
    session: &Session,
    request: &SelfTestRequest,
    work: &Path,
    stage: StageObserver<'_>,
) -> Result<SelfTest, JobError> {
    let start = Instant::now();
    let times = Times::from_now(request.limit);
    let work = real(work).map_err(SelfTestError::Work)?;
    fit(&work)?;
    let (stop, program) = (&session.stop, &*request.program);
    let seed = request.seed.unwrap_or_else(|| fastrand::u64(..));

    stage("running the demo");
    let (kept, scratch) = (work.join("demo"), work.join("scratch"));
    fs::create_dir(&scratch).map_err(SelfTestError::Work)?;
    let demo_ends = times.ends.min(Instant::now() + times.demo);
    let mut steps = vec![steps::demo(&kept, &scratch, program, demo_ends, stop)];
    for folder in [kept.clone(), kept.join("second")] {
        let made = Machine::new(session.machine.environment.clone(), Some(&folder), None, Scope::User);
        // Where the demo failed there may be none.
        let _ = made.map(|machine| machine.registry().remove_sandbox());
    }
    session.bail_if_interrupted()?;

    if let Some(download) = steps::download(&kept) {
        stage("interrupting installations");
        let home = Rehearsal::build(&work.join("kills"), program, times.ends, stop).map_err(SelfTestError::Work)?;
        let killed = steps::kills(&home, &download, times.kills_until, stop);
        steps.push(killed.map_err(SelfTestError::Work)?);
        session.bail_if_interrupted()?;
        let seal = session.sealer()?.level();
        if session.machine.system() == System::Windows || seal != SealLevel::None {
            stage("asking terminals");
            let home =
                Rehearsal::build(&work.join("questions"), program, times.ends, stop).map_err(SelfTestError::Work)?;
            steps.push(steps::questions(&home, &download, seal).map_err(SelfTestError::Work)?);
            session.bail_if_interrupted()?;
        }
    }

    stage("asking every shell about made-up machines");
    let everywhere = Machine::new(session.machine.environment.clone(), Some(&work.join("nobody")), None, Scope::User);
    let shells = everywhere.map(|machine| terminal::installed(&machine, &Shell::ALL)).unwrap_or_default();
    let until = times.lookups_until.min(Instant::now() + times.lookups);
    let mut lookups = judged(session, &work, (program, &shells), seed, until).map_err(SelfTestError::Work)?;
    session.bail_if_interrupted()?;

    let private = Private::of(&session.machine);
    let mut facts = MachineFacts::here(&session.machine.environment);
    facts.shells = shells
        .iter()
        .map(|found| FoundProgram {
            name: found.shell.name().to_owned(),
            file: private.path(&found.program).into(),
            version: None,
        })
        .collect();
    let work = work.to_string_lossy().into_owned();
    for one in lookups.iter_mut().flat_map(|judged| &mut judged.disagreements) {
        (one.theirs, one.ours) = (private.text(&one.theirs), private.text(&one.ours));
    }
    for wrong in steps.iter_mut().flat_map(|step| &mut step.wrong) {
        *wrong = private.text(&wrong.replace(&work, "WORK"));
    }
    Ok(SelfTest {
        program: request.version.clone(),
        machine: facts,
        is_wine: os::is_wine(),
        seal: session.sealer()?.level().name(),
        seed,
        seconds: start.elapsed().as_secs(),
        lookups,
        steps,
    })
}

fn judged(
    session: &Session,
    work: &Path,
    (program, shells): (&Path, &[InstalledShell]),
    seed: u64,
    until: Instant,
) -> io::Result<Vec<JudgedCaller>> {
    let work = &work.join("machines");
    fs::create_dir(work)?;
    let (until, stop) = (Some(until), &session.stop);
    judge(&Judging { work, shells, program, seed, machines: MACHINES, until, stop }, session.machine.system())
}

/// The folder without links on the way to it; as Windows writes it, without the prefix that shells do not read.
fn real(folder: &Path) -> io::Result<PathBuf> {
    let real = folder.canonicalize()?;
    let text = real.to_string_lossy();
    Ok(text.strip_prefix(r"\\?\").map_or_else(|| real.clone(), PathBuf::from))
}

/// Whether programs can be made and found in a folder by any shell.
fn fit(work: &Path) -> Result<(), JobError> {
    let unfit = |why| Err(SelfTestError::Unfit { folder: work.to_owned(), why }.into());
    let Some(text) = work.to_str() else { return unfit("its name is not UTF-8") };
    // What separates entries or begins a comment, and what shells expand: ksh reads no startup file below such a folder.
    let odd: &[char] = if os::SYSTEM == "windows" {
        &[';', '%', '"', '^', '&', '!', '[']
    } else {
        &[':', ';', '#', '\n', '\'', '"', '$', '`', '\\']
    };
    if text.contains(odd) {
        return unfit("its name has a character that shells take for something else");
    }
    if os::forbids_programs(work) {
        return unfit("programs may not be run there");
    }
    Ok(())
}

fn is_report(file: &Path) -> bool {
    let document: Option<Value> = fs::read(file).ok().and_then(|text| serde_json::from_slice(&text).ok());
    document.is_some_and(|document| document["report"] == "selftest")
}
