//! Real shells, and really executing the name, as judges of the lookup rules: on random machines the predicted winner must
//! be what runs, and the predicted candidates what the shell lists.
#![cfg(unix)]
#![allow(clippy::unwrap_used)]

use std::path::Path;

use wagon_yard_core::environment::Environment;
use wagon_yard_core::judges::{Judging, judge};
use wagon_yard_core::machine::Machine;
use wagon_yard_core::progress::Stop;
use wagon_yard_core::resolve::Shell;
use wagon_yard_core::scope::Scope;
use wagon_yard_core::system::System;
use wagon_yard_core::terminal::{self, InstalledShell};

/// Machines made from the fixed seed, and as many again from a random one, unless `WYARD_JUDGED_MACHINES` says otherwise.
const MACHINES: usize = 300;

fn compare(seed: u64) {
    let work = tempfile::tempdir().unwrap();
    let machine = Machine::new(Environment::of_process(), Some(work.path()), None, Scope::User).unwrap();
    let shells = terminal::installed(&machine, &Shell::ALL);
    let unix: Vec<Shell> = Shell::ALL.into_iter().filter(|shell| shell.system() == System::Unix).collect();
    let missing: Vec<&Shell> = unix.iter().filter(|shell| shells.iter().all(|found| found.shell != **shell)).collect();
    assert!(missing.is_empty() || std::env::var_os("CI").is_none(), "{missing:?}: CI may skip nothing");
    let told = std::env::var("WYARD_JUDGED_MACHINES").ok().and_then(|number| number.parse().ok());
    let judging = Judging {
        work: &work.path().canonicalize().unwrap(),
        shells: &shells,
        program: Path::new(""),
        seed,
        machines: told.unwrap_or(MACHINES),
        until: None,
        stop: &Stop::default(),
    };
    for judged in judge(&judging, System::Unix).unwrap() {
        assert!(judged.held() && judged.compared >= judging.machines, "{judged:#?}");
    }
}

/// bash in the place of ksh lists nothing by the other's word for that, and runs other programs by some names.
#[test]
fn a_shell_with_other_rules_is_told_with_all_that_repeats_it() {
    let work = tempfile::tempdir().unwrap();
    let root = work.path().canonicalize().unwrap();
    let shells = [InstalledShell { shell: Shell::Ksh, program: "/bin/bash".into() }];
    let judged = |seed: u64, machines: usize, folder: &str| {
        let work = root.join(folder);
        std::fs::create_dir(&work).unwrap();
        let stop = Stop::default();
        let judging =
            Judging { work: &work, shells: &shells, program: Path::new(""), seed, machines, until: None, stop: &stop };
        judge(&judging, System::Unix).unwrap().pop().unwrap()
    };
    let all = judged(7, 50, "all");
    assert!(!all.held() && all.wrong > 5 && all.disagreements.len() > 5, "{all:#?}");
    let one = &all.disagreements[3];
    let again = judged(one.seed, 1, "one");
    assert!(again.disagreements.contains(one), "{one:#?}\n{again:#?}");
}

#[test]
fn the_same_machines_every_time() {
    compare(0x7a6f_6e65);
}

#[test]
fn other_machines_every_time() {
    let seed = fastrand::u64(..);
    println!("seed {seed}");
    compare(seed);
}
