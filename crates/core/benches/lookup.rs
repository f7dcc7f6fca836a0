//! Looking a name up in a long PATH.
#![allow(missing_docs, clippy::unwrap_used)]

use std::ffi::OsString;
use std::fs;
use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use wagon_yard_core::os;
use wagon_yard_core::resolve::{self, Caller, Disk, Surroundings};

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
    let around = Surroundings { path: value, ..Surroundings::default() };
    criterion.bench_function("look one name up in 200 folders of 100 commands", |bench| {
        bench.iter(|| resolve::candidates(Caller::Exec, black_box("c150-50"), &around, &Disk));
    });
}

criterion_group!(benches, scanning);
criterion_main!(benches);
