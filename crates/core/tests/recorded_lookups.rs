//! What a snapshot says a name means must be what the lookup rules say on the machine itself, for random machines.
#![cfg(unix)]
#![allow(clippy::unwrap_used)]

mod made_machines;

use std::collections::{BTreeMap, HashMap};
use std::path::Path;

use fastrand::Rng;
use made_machines::make;
use wagon_yard_core::environment::Environment;
use wagon_yard_core::machine::Machine;
use wagon_yard_core::resolve::{self, Caller, Candidate, Disk, LookupContext, Shell};
use wagon_yard_core::scope::Scope;
use wagon_yard_core::snapshot::{Lookup, Recorder, Snapshot, read};
use wagon_yard_core::system::System;

const MACHINES: usize = 500;

#[test]
fn a_snapshot_answers_as_its_machine() {
    let work = tempfile::tempdir().unwrap();
    let seed =
        std::env::var("WYARD_TEST_SEED").ok().and_then(|seed| seed.parse().ok()).unwrap_or_else(|| fastrand::u64(..));
    eprintln!("WYARD_TEST_SEED={seed}");
    let mut chance = Rng::with_seed(seed);
    let mut compared = 0;
    for at in 0..MACHINES {
        let root = work.path().join(at.to_string());
        let made = make(&root, &mut chance);
        // Names with a folder in them are no question of PATH, and lead out of what is recorded.
        if made.name.contains('/') {
            continue;
        }
        let environment = Environment::with(System::Unix, [("HOME", made.current.to_str().unwrap())]);
        let mut machine = Machine::new(environment, None, None, Scope::User).unwrap();
        machine.home.clone_from(&made.current);
        let context = LookupContext {
            path: made.path.clone().into(),
            current_folder: made.current.clone(),
            home: Some(made.current.clone()),
            ..LookupContext::new(System::Unix)
        };
        let recorder = Recorder::new(&machine, HashMap::new());
        for shell in [Shell::Bash, Shell::Fish, Shell::Tcsh, Shell::Sh] {
            let snapshot = Snapshot {
                snapshot: 1,
                taken: String::new(),
                made_by: String::new(),
                name: None,
                system: "linux".to_owned(),
                processor: "x86_64".to_owned(),
                path_extensions: Vec::new(),
                system_root: None,
                terminals: vec![recorder.terminal(shell, Some(&context), &[])],
                folders: recorder.folders([&context].into_iter()).into_iter().map(|(_, folder)| folder).collect(),
                variables: BTreeMap::new(),
                stores: Vec::new(),
                tools: Vec::new(),
            };
            let file = root.join("snapshot.json");
            std::fs::write(&file, serde_json::to_vec(&snapshot).unwrap()).unwrap();
            let snapshot = read(&file).unwrap();
            let lookup = Lookup::new(&snapshot);
            let (caller, terminal) = lookup.terminals().next().unwrap();
            let there = lookup.candidates(caller, terminal, &made.name);
            let here = resolve::candidates(Caller::from(shell), &made.name, &context, &Disk);
            let told = |candidate: &Candidate, path: String| (path, candidate.standing, candidate.reason);
            let home = made.current.to_str().unwrap();
            let shown = |path: &Path| path.to_str().unwrap().replace("/./", "/");
            let here: Vec<_> = here.iter().map(|c| told(c, shown(&c.path))).collect();
            let there: Vec<_> = there
                .iter()
                .map(|c| {
                    let path = lookup.shown(&c.path);
                    told(
                        c,
                        shown(Path::new(&path.strip_prefix('~').map_or(path.clone(), |rest| format!("{home}{rest}")))),
                    )
                })
                .collect();
            assert_eq!(there, here, "{shell:?} {:?} {:?}", made.path, made.name);
            compared += 1;
        }
    }
    assert!(compared > MACHINES);
}
