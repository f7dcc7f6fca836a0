//! The first two measurements of the series: unpacking an archive, and looking a name up in a long PATH.
#![allow(missing_docs, clippy::unwrap_used)]

use std::ffi::OsString;
use std::fs;
use std::hint::black_box;
use std::io::Write as _;
use std::path::Path;

use criterion::{BatchSize, Criterion, Throughput, criterion_group, criterion_main};
use wagon_yard_core::archive::{self, Options, Source};
use wagon_yard_core::os;
use wagon_yard_core::progress::{Processor, Silent, Stop};
use wagon_yard_core::resolve::{self, Caller, Disk, Surroundings};

/// 2,000 files of 10 KB, half of it noise that does not pack.
fn make_tar_gz(target: &Path) -> u64 {
    let packed = flate2::write::GzEncoder::new(fs::File::create(target).unwrap(), flate2::Compression::default());
    let mut tar = tar::Builder::new(packed);
    let mut seed = 0x2545_f491_u32;
    let mut bytes = 0;
    for index in 0..2000 {
        let mut content = vec![b'x'; 5_000];
        content.extend((0..5_000).map(|_| {
            seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            seed.to_be_bytes()[0]
        }));
        let mut header = tar::Header::new_gnu();
        header.set_size(content.len() as u64);
        header.set_mode(0o644);
        tar.append_data(&mut header, format!("t-1.0/share/d{}/f{index}", index % 40), content.as_slice()).unwrap();
        bytes += content.len() as u64;
    }
    tar.into_inner().unwrap().finish().unwrap().flush().unwrap();
    bytes
}

/// A folder in memory where there is one: on some disks creating files gets ten times slower after many were removed.
fn steady_folder() -> tempfile::TempDir {
    tempfile::tempdir_in("/dev/shm").or_else(|_| tempfile::tempdir()).unwrap()
}

fn unpacking(criterion: &mut Criterion) {
    let folder = steady_folder();
    let file = folder.path().join("t-1.0.tar.gz");
    let bytes = make_tar_gz(&file);
    let mut group = criterion.benchmark_group("unpack");
    group.throughput(Throughput::Bytes(bytes)).sample_size(20);
    group.bench_function("tar.gz, 2000 files, 20 MB", |bench| {
        let source = Source::open(&file, folder.path()).unwrap();
        bench.iter_batched(
            || tempfile::tempdir_in(folder.path()).unwrap(),
            |root| {
                archive::unpack(
                    &source,
                    root.path(),
                    Options::default(),
                    &Silent,
                    &Stop::default(),
                    &Processor::free(),
                )
                .unwrap();
                root
            },
            BatchSize::PerIteration,
        );
    });
}

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

criterion_group!(benches, unpacking, scanning);
criterion_main!(benches);
