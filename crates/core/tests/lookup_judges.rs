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
use wagon_yard_core::terminal;

/// Machines made from the fixed seed, and as many again from a random one, unless `WYARD_JUDGED_MACHINES` says otherwise.
const MACHINES: usize = 2_000;

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
