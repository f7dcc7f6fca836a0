//! Unpacking each format that can be packed here, and looking into a zip of many entries.
#![allow(clippy::unwrap_used)]

use std::fs;
use std::io::{Cursor, Read as _, Write as _};
use std::path::Path;

use criterion::{BatchSize, Criterion, Throughput, criterion_group, criterion_main};
use wagon_yard_base::archive::{self, Options, Source};
use wagon_yard_base::progress::{Processor, Silent, Stop};
use zip::write::SimpleFileOptions;

const FILES: usize = 2000;

/// 10 KB, half of it noise that does not pack.
fn content(seed: &mut u32) -> Vec<u8> {
    let mut noise = || {
        *seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        seed.to_be_bytes()[0]
    };
    (0..10_000).map(|at| if at % 2000 < 1000 { b'x' } else { noise() }).collect()
}

fn name(index: usize) -> String {
    format!("t-1.0/share/d{}/f{index}.txt", index % 40)
}

fn make_tar() -> Vec<u8> {
    let mut tar = tar::Builder::new(Vec::new());
    let mut seed = 7;
    for index in 0..FILES {
        let content = content(&mut seed);
        let mut header = tar::Header::new_gnu();
        header.set_size(content.len() as u64);
        header.set_mode(0o644);
        tar.append_data(&mut header, name(index), content.as_slice()).unwrap();
    }
    tar.into_inner().unwrap()
}

fn make_zip(files: usize, content: impl Fn(&mut u32) -> Vec<u8>) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let mut seed = 7;
    for index in 0..files {
        zip.start_file(name(index), SimpleFileOptions::default().unix_permissions(0o644)).unwrap();
        zip.write_all(&content(&mut seed)).unwrap();
    }
    zip.start_file("t-1.0/bin/t", SimpleFileOptions::default().unix_permissions(0o755)).unwrap();
    zip.write_all(b"#!/bin/sh\n").unwrap();
    zip.finish().unwrap().into_inner()
}

/// A folder in memory where there is one: on some disks creating files gets ten times slower after many were removed.
fn steady_folder() -> tempfile::TempDir {
    tempfile::tempdir_in("/dev/shm").or_else(|_| tempfile::tempdir()).unwrap()
}

fn source(folder: &Path, file: &str, bytes: &[u8]) -> Source {
    fs::write(folder.join(file), bytes).unwrap();
    Source::open(&folder.join(file), folder, &Stop::default()).unwrap()
}

fn unpacking(criterion: &mut Criterion) {
    let folder = steady_folder();
    let tar = make_tar();
    let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    gzip.write_all(&tar).unwrap();
    let mut xz = Vec::new();
    liblzma::read::XzEncoder::new(tar.as_slice(), 1).read_to_end(&mut xz).unwrap();
    let mut bzip2 = bzip2::write::BzEncoder::new(Vec::new(), bzip2::Compression::fast());
    bzip2.write_all(&tar).unwrap();
    let mut group = criterion.benchmark_group("unpack 2000 files, 20 MB");
    group.throughput(Throughput::Bytes(tar.len() as u64)).sample_size(10);
    for (ending, bytes) in [
        ("zip", make_zip(FILES, content)),
        ("tar.gz", gzip.finish().unwrap()),
        ("tar.zst", zstd::encode_all(tar.as_slice(), 3).unwrap()),
        ("tar.xz", xz),
        ("tar.bz2", bzip2.finish().unwrap()),
        ("tar", tar),
    ] {
        let source = source(folder.path(), &format!("t-1.0.{ending}"), &bytes);
        group.bench_function(ending, |bench| {
            bench.iter_batched(
                || tempfile::tempdir_in(folder.path()).unwrap(),
                |root| {
                    let other = Processor::free();
                    archive::unpack(&source, root.path(), Options::default(), &Silent, &Stop::default(), &other)
                        .unwrap();
                    root
                },
                BatchSize::PerIteration,
            );
        });
    }
}

fn listing(criterion: &mut Criterion) {
    let folder = steady_folder();
    let source = source(folder.path(), "t-1.0.zip", &make_zip(10_000, |seed| content(seed)[..400].to_vec()));
    criterion.bench_function("list a zip of 10,000 entries", |bench| {
        bench.iter(|| archive::list(&source, Options::default(), &Stop::default()).unwrap());
    });
}

criterion_group!(benches, unpacking, listing);
criterion_main!(benches);
