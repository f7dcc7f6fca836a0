//! Looking at a long PATH: one name looked up, traced, and all of it surveyed, without starting any shell.
#![allow(clippy::unwrap_used)]

use std::ffi::OsString;
use std::fs;
use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use wagon_yard_core::environment::{Environment, host_system};
use wagon_yard_core::finding::Severity;
use wagon_yard_core::machine::{Machine, home_variable};
use wagon_yard_core::os;
use wagon_yard_core::progress::Stop;
use wagon_yard_core::resolve::{self, Caller, Disk, LookupContext};
use wagon_yard_core::scope::Scope;
use wagon_yard_core::session::Session;
use wagon_yard_core::shells::TerminalKind;
use wagon_yard_core::survey::survey;
use wagon_yard_core::trace::{TraceRequest, trace};

fn scanning(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().unwrap();
    let mut value = OsString::new();
    for entry in 0..200 {
        let bin = folder.path().join(format!("tool{entry}/bin"));
        fs::create_dir_all(&bin).unwrap();
        for command in 0..100 {
            let file = bin.join(format!("c{entry}-{command}"));
            fs::write(&file, "#!/bin/sh\n").unwrap();
            os::set_folder_mode(&file, 0o755).unwrap();
        }
        value.push(&bin);
        value.push(":");
    }
    let home = folder.path().to_owned();
    let home = (home_variable(host_system()).into(), home.into_os_string());
    let environment = Environment::with(host_system(), [(OsString::from("PATH"), value.clone()), home]);
    let machine = Machine::new(environment, None, None, Scope::User).unwrap();
    let context = LookupContext { path: value, ..LookupContext::new(host_system()) };
    criterion.bench_function("look one name up in 200 folders of 100 commands", |bench| {
        bench.iter(|| resolve::candidates(Caller::Exec, black_box("c150-50"), &context, &Disk));
    });
    let session = Session::new(machine, Stop::default());
    let request = TraceRequest {
        names: vec!["c150-50".to_owned()],
        terminal: Some(TerminalKind::This),
        ..TraceRequest::default()
    };
    criterion.bench_function("trace one name in them", |bench| {
        bench.iter(|| trace(&session, black_box(&request)));
    });
    criterion.bench_function("survey them", |bench| {
        bench.iter(|| survey(black_box(&session), TerminalKind::This, Severity::Problem).unwrap());
    });
}

criterion_group!(benches, scanning);
criterion_main!(benches);
