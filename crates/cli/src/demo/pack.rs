//! The made-up tools, packed as their makers would publish them.

use std::fs::File;
use std::io::{self, Write as _};
use std::path::Path;

use flate2::Compression;
use flate2::write::GzEncoder;
use sha2::{Digest as _, Sha256};
use zip::write::SimpleFileOptions;

/// A file of a tool: its place in the archive, its content, whether it is a program.
pub struct Packed {
    pub path: String,
    pub content: String,
    pub program: bool,
}

fn file(path: impl Into<String>, content: &str, version: &str, program: bool) -> Packed {
    Packed { path: path.into(), content: content.replace("@VERSION@", version), program }
}

/// tidelog: a wrapper folder, `bin` with two programs, a sample settings file.
pub fn tidelog(version: &str) -> Vec<Packed> {
    let wrapper = format!("tidelog-{version}");
    let place = |path: &str| format!("{wrapper}/{path}");
    vec![
        file(place("bin/tidelog"), include_str!("../../../../demo/tidelog/tidelog"), version, true),
        file(place("bin/tidelogc"), include_str!("../../../../demo/tidelog/tidelogc"), version, true),
        file(
            place("conf/tidelog.ini.sample"),
            include_str!("../../../../demo/tidelog/tidelog.ini.sample"),
            version,
            false,
        ),
        file(place("README.txt"), include_str!("../../../../demo/tidelog/README.txt"), version, false),
    ]
}

/// shoal: one program at the archive's root.
pub fn shoal(version: &str) -> Vec<Packed> {
    vec![file("shoal", include_str!("../../../../demo/shoal/shoal"), version, true)]
}

/// coastkit: a suite of small commands, one of them called as one of the system's.
pub fn coastkit(version: &str) -> Vec<Packed> {
    let command = include_str!("../../../../demo/coastkit/command");
    ["ebb", "flood", "gauge", "neap", "sort", "spring"]
        .iter()
        .map(|name| file(format!("coastkit-{version}/bin/{name}"), command, version, true))
        .collect()
}

/// Writes a tar in gzip, and gives its SHA-256 in hex, as its makers would publish it.
pub fn tar_gz(target: &Path, files: &[Packed]) -> io::Result<String> {
    let mut tar = tar::Builder::new(GzEncoder::new(Vec::new(), Compression::default()));
    for packed in files {
        let mut header = tar::Header::new_gnu();
        header.set_size(packed.content.len() as u64);
        header.set_mode(if packed.program { 0o755 } else { 0o644 });
        header.set_mtime(1_773_187_200);
        tar.append_data(&mut header, &packed.path, packed.content.as_bytes())?;
    }
    let archive = tar.into_inner()?.finish()?;
    std::fs::write(target, &archive)?;
    Ok(Sha256::digest(&archive).iter().map(|byte| format!("{byte:02x}")).collect())
}

/// Writes a zip.
pub fn zip(target: &Path, files: &[Packed]) -> io::Result<()> {
    let mut zip = zip::ZipWriter::new(File::create(target)?);
    for packed in files {
        let mode = if packed.program { 0o755 } else { 0o644 };
        zip.start_file(packed.path.as_str(), SimpleFileOptions::default().unix_permissions(mode))?;
        zip.write_all(packed.content.as_bytes())?;
    }
    zip.finish()?.sync_all()
}
