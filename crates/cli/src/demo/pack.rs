//! The made-up tools, packed as their makers would publish them.

use std::fs::File;
use std::io::{self, Write as _};
use std::path::Path;

use flate2::Compression;
use flate2::write::GzEncoder;
use wagon_yard_core::checksum::{Algorithm, compute};
use wagon_yard_core::environment::host_system;
use wagon_yard_core::progress::Stop;
use wagon_yard_core::system::System;
use zip::write::SimpleFileOptions;

/// A file of a tool: its place in the archive, its content, whether it is a program.
pub struct Packed {
    pub path: String,
    pub content: String,
    pub program: bool,
}

/// A program's source for this system: a shell script, or a batch file with the line ends and the name of one.
fn program(path: impl Into<String>, script: &str, batch: &str, version: &str) -> Packed {
    let path = path.into();
    let (path, content) = match host_system() {
        System::Unix => (path, script.to_owned()),
        System::Windows => (format!("{path}.cmd"), batch.replace('\n', "\r\n")),
    };
    Packed { path, content: content.replace("@VERSION@", version), program: true }
}

macro_rules! source {
    ($file:literal) => {
        include_str!(concat!("../../../../demo/", $file))
    };
}

/// tidelog: a wrapper folder, `bin` with two programs, a sample settings file.
pub fn tidelog(version: &str) -> Vec<Packed> {
    let place = |path: &str| format!("tidelog-{version}/{path}");
    let text = |path: &str, content: &str| Packed {
        path: place(path),
        content: content.replace("@VERSION@", version),
        program: false,
    };
    vec![
        program(place("bin/tidelog"), source!("tidelog/tidelog"), source!("tidelog/tidelog.cmd"), version),
        program(place("bin/tidelogc"), source!("tidelog/tidelogc"), source!("tidelog/tidelogc.cmd"), version),
        text("conf/tidelog.ini.sample", source!("tidelog/tidelog.ini.sample")),
        text("README.txt", source!("tidelog/README.txt")),
    ]
}

/// shoal: one program at the archive's root.
pub fn shoal(version: &str) -> Vec<Packed> {
    vec![program("shoal", source!("shoal/shoal"), source!("shoal/shoal.cmd"), version)]
}

pub fn driftc(version: &str) -> Vec<Packed> {
    vec![program(
        format!("driftc-{version}/bin/driftc"),
        source!("driftc/driftc"),
        source!("driftc/driftc.cmd"),
        version,
    )]
}

/// coastkit: a suite of small commands, one of them called as one of the system's.
pub fn coastkit(version: &str) -> Vec<Packed> {
    let (script, batch) = (source!("coastkit/command"), source!("coastkit/command.cmd"));
    ["ebb", "flood", "gauge", "neap", "sort", "spring"]
        .iter()
        .map(|name| program(format!("coastkit-{version}/bin/{name}"), script, batch, version))
        .collect()
}

/// drift: an interpreter of class files.
pub fn drift(version: &str) -> Vec<Packed> {
    vec![program(format!("drift-{version}/bin/drift"), source!("drift/drift"), source!("drift/drift.cmd"), version)]
}

/// tidetable: a class file for drift.
pub fn tidetable(version: &str) -> Vec<Packed> {
    let content = source!("tidetable/tidetable.class").replace("@VERSION@", version);
    vec![Packed { path: format!("tidetable-{version}/lib/tidetable.class"), content, program: false }]
}

pub fn waybill(server: &str, shoal: &str) -> String {
    source!("office.toml").replace("@SERVER@", server).replace("@SHOAL@", shoal)
}

/// buoyctl as a shell self-extractor: its script, and the archive behind the last line of that.
pub fn self_extractor(target: &Path, version: &str) -> io::Result<()> {
    let files = [program("bin/buoyctl", source!("buoyctl/buoyctl"), "", version)];
    let mut content = source!("buoyctl/install.sh").replace("@VERSION@", version).into_bytes();
    content.extend(packed_tar_gz(&files)?);
    std::fs::write(target, content)
}

pub fn tar_gz(target: &Path, files: &[Packed]) -> io::Result<()> {
    std::fs::write(target, packed_tar_gz(files)?)
}

fn packed_tar_gz(files: &[Packed]) -> io::Result<Vec<u8>> {
    let mut tar = tar::Builder::new(GzEncoder::new(Vec::new(), Compression::default()));
    for packed in files {
        let mut header = tar::Header::new_gnu();
        header.set_size(packed.content.len() as u64);
        header.set_mode(if packed.program { 0o755 } else { 0o644 });
        header.set_mtime(1_773_187_200);
        tar.append_data(&mut header, &packed.path, packed.content.as_bytes())?;
    }
    tar.into_inner()?.finish()
}

pub fn zip(target: &Path, files: &[Packed]) -> io::Result<()> {
    let mut zip = zip::ZipWriter::new(File::create(target)?);
    for packed in files {
        let mode = if packed.program { 0o755 } else { 0o644 };
        zip.start_file(packed.path.as_str(), SimpleFileOptions::default().unix_permissions(mode))?;
        zip.write_all(packed.content.as_bytes())?;
    }
    zip.finish()?.sync_all()
}

/// The SHA-256 of a file in hex, as its makers would publish it.
pub fn published(file: &Path) -> io::Result<String> {
    let computed = compute(&[Algorithm::Sha256], File::open(file)?, &Stop::default())?;
    Ok(computed.iter().map(ToString::to_string).collect())
}
