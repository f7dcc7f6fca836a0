//! What a snapshot says a name means must be what the lookup rules say on the machine itself, for random machines.
#![allow(clippy::unwrap_used)]

use std::collections::{BTreeMap, HashMap};
use std::path::Path;

use wagon_yard_core::environment::{Environment, host_system};
use wagon_yard_core::judges::make;
use wagon_yard_core::machine::Machine;
use wagon_yard_core::os;
use wagon_yard_core::resolve::{self, Caller, Candidate, Disk, LookupContext, Shell};
use wagon_yard_core::scope::Scope;
use wagon_yard_core::snapshot::{Lookup, Recorder, Snapshot, read};

/// Files are made slowly on Windows.
const MACHINES: usize = if cfg!(windows) { 100 } else { 500 };

/// The shells whose rules differ.
const SHELLS: &[Shell] =
    if cfg!(windows) { &[Shell::Cmd, Shell::PowerShell] } else { &[Shell::Bash, Shell::Fish, Shell::Tcsh, Shell::Sh] };

/// A file that can be run, as far as a lookup sees.
fn program(file: &Path) -> std::io::Result<()> {
    std::fs::write(file, "#!/bin/sh\n")?;
    os::set_mode(&std::fs::File::open(file)?, 0o755)
}

/// A path without what means nothing in it.
fn plain(path: &str) -> String {
    if cfg!(windows) { path.replace('/', "\\").to_lowercase() } else { path.replace("/./", "/") }
}

#[test]
fn a_snapshot_answers_as_its_machine() {
    let work = tempfile::tempdir().unwrap();
    let seed =
        std::env::var("WYARD_TEST_SEED").ok().and_then(|seed| seed.parse().ok()).unwrap_or_else(|| fastrand::u64(..));
    eprintln!("WYARD_TEST_SEED={seed}");
    let listed = if cfg!(windows) { &[".com", ".exe", ".bat", ".cmd", ".py"][..] } else { &[] };
    let extensions: Vec<String> = listed.iter().map(|extension| (*extension).to_owned()).collect();
    let mut compared = 0;
    for at in 0..MACHINES as u64 {
        let root = work.path().join(at.to_string());
        let made = make(&root, seed.wrapping_add(at), host_system(), false, &mut |file| program(file)).unwrap();
        // Names with a folder in them are no question of PATH, and lead out of what is recorded.
        if made.name.contains(['/', '\\']) {
            continue;
        }
        let environment = Environment::with(
            host_system(),
            ["HOME", "USERPROFILE"].map(|name| (name, made.current.to_str().unwrap())),
        );
        let mut machine = Machine::new(environment, None, None, Scope::User).unwrap();
        machine.home.clone_from(&made.current);
        let context = LookupContext {
            path: made.path.clone().into(),
            current_folder: made.current.clone(),
            home: Some(made.current.clone()),
            path_extensions: extensions.clone(),
            ..LookupContext::new(host_system())
        };
        let recorder = Recorder::new(&machine, HashMap::new());
        for &shell in SHELLS {
            let snapshot = Snapshot {
                snapshot: 1,
                taken: String::new(),
                made_by: String::new(),
                name: None,
                system: if cfg!(windows) { "windows" } else { "linux" }.to_owned(),
                processor: "x86_64".to_owned(),
                path_extensions: extensions.clone(),
                system_root: None,
                machine: None,
                terminals: vec![recorder.terminal(shell, Some(&context), &[])],
                folders: recorder.folders([&context].into_iter()).into_iter().map(|(_, folder)| folder).collect(),
                variables: BTreeMap::new(),
                stores: Vec::new(),
                yard: None,
                tools: Vec::new(),
                survey: None,
            };
            let file = root.join("snapshot.json");
            std::fs::write(&file, serde_json::to_vec(&snapshot).unwrap()).unwrap();
            let snapshot = read(&file).unwrap();
            let lookup = Lookup::new(&snapshot);
            let (caller, terminal) = lookup.terminals().next().unwrap();
            let there = lookup.candidates(caller, terminal, &made.name);
            let found = resolve::candidates(Caller::from(shell), &made.name, &context, &Disk);
            let told = |candidate: &Candidate, path: String| (path, candidate.standing, candidate.reason);
            let home = made.current.to_str().unwrap();
            let whole = |path: String| path.strip_prefix('~').map_or(path.clone(), |rest| format!("{home}{rest}"));
            let expected: Vec<_> = found.iter().map(|c| told(c, plain(c.path.to_str().unwrap()))).collect();
            let there: Vec<_> = there.iter().map(|c| told(c, plain(&whole(lookup.shown(&c.path))))).collect();
            assert_eq!(there, expected, "{shell:?} {:?} {:?}", made.path, made.name);
            compared += 1;
        }
    }
    assert!(compared > MACHINES);
}
