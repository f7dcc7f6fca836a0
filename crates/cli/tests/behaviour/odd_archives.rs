//! Archives that are odd and whole: they are read, with a word where one is due.

use std::fs;
use std::io::Write as _;
use std::path::PathBuf;

use wagon_yard_core::checksum::Computed;
use wagon_yard_core::progress::Stop;

use crate::archives::script;
use crate::home::Home;

/// A tar of a tool, with an entry more in front of it and with or without its end.
fn tar(first: Option<&[u8]>, with_end: bool) -> Vec<u8> {
    let mut builder = tar::Builder::new(Vec::new());
    let content = script("1.0");
    let mut header = tar::Header::new_gnu();
    header.set_size(content.len() as u64);
    header.set_mode(0o755);
    builder.append_data(&mut header, "w/bin/t", content.as_bytes()).unwrap();
    let mut bytes = builder.into_inner().unwrap();
    if !with_end {
        bytes.truncate(bytes.len() - 1024);
    }
    [first.unwrap_or_default(), &bytes].concat()
}

/// Rights of a file, as Solaris puts them before it.
fn rights() -> Vec<u8> {
    let content = b"1000007\0user::rw-\0";
    let mut header = tar::Header::new_ustar();
    header.set_path("w/bin/t").unwrap();
    header.set_size(content.len() as u64);
    header.set_entry_type(tar::EntryType::new(b'A'));
    header.set_cksum();
    let mut bytes = [&header.as_bytes()[..], content].concat();
    bytes.resize(1024, 0);
    bytes
}

fn gzip(bytes: &[u8]) -> Vec<u8> {
    let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    encoder.write_all(bytes).unwrap();
    encoder.finish().unwrap()
}

fn bzip2(bytes: &[u8]) -> Vec<u8> {
    let mut encoder = bzip2::write::BzEncoder::new(Vec::new(), bzip2::Compression::fast());
    encoder.write_all(bytes).unwrap();
    encoder.finish().unwrap()
}

/// A zip whose only entry was packed from a pipe, as its mode says.
fn from_pipe() -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    zip.start_file("t", zip::write::SimpleFileOptions::default().unix_permissions(0o755)).unwrap();
    zip.write_all(script("1.0").as_bytes()).unwrap();
    let mut bytes = zip.finish().unwrap().into_inner();
    // The upper half of the external attributes in the directory's record (APPNOTE 4.3.12).
    let at = bytes.windows(4).rposition(|four| four == b"PK\x01\x02").unwrap() + 40;
    bytes[at..at + 2].copy_from_slice(&0o010_755_u16.to_le_bytes());
    bytes
}

#[test]
fn what_is_odd_and_whole_is_unpacked() {
    let whole = tar(None, true);
    let skippable = [&b"\x54\x2a\x4d\x18\x03\0\0\0abc"[..], &zstd::encode_all(&whole[..], 1).unwrap()].concat();
    for (name, bytes, says) in [
        ("padded.tar.gz", [gzip(&whole), vec![0; 700]].concat(), None),
        ("members.tar.gz", [gzip(&whole[..600]), vec![0; 9], gzip(&whole[600..])].concat(), None),
        ("more.tar.gz", [gzip(&whole), b"notes".to_vec()].concat(), Some("5 extra bytes")),
        ("padded.tar.bz2", [bzip2(&whole), vec![0; 700]].concat(), None),
        ("more.tar.bz2", [bzip2(&whole), b"notes".to_vec()].concat(), Some("[data-behind]")),
        ("endless.tar.gz", gzip(&tar(None, false)), Some("[tar-end-missing]")),
        ("endless.tar.zst", zstd::encode_all(&tar(None, false)[..], 1).unwrap(), Some("[tar-end-missing]")),
        ("skippable.tar.zst", skippable, None),
        ("rights.tar", tar(Some(&rights()), true), None),
        ("pipe.zip", from_pipe(), None),
    ] {
        let home = Home::new();
        let file = home.write(name, &bytes);
        let ran = home.wyard(&["unpack", file.to_str().unwrap(), "--into", home.path("out").to_str().unwrap()]).ends(0);
        let places = ["out/t", "out/bin/t"].map(|place| home.path(place));
        assert!(places.iter().any(|place| fs::read_to_string(place).is_ok_and(|text| text == script("1.0"))), "{name}");
        assert_eq!(ran.out.contains("caution"), says.is_some(), "{name}: {}", ran.out);
        if let Some(says) = says {
            ran.says(says);
        }
    }
}

#[test]
fn a_tar_without_an_end_needs_a_checksum_that_proves_it() {
    let home = Home::new();
    let file = home.write("t-1.0.tar", tar(None, false));
    let (file, into): (&str, PathBuf) = (file.to_str().unwrap(), home.path("out"));
    let into = into.to_str().unwrap();
    home.wyard(&["unpack", file, "--into", into]).ends(3).says("is truncated");
    home.wyard(&["inspect", file]).ends(3).says("is truncated");
    let published = Computed::of(fs::File::open(file).unwrap(), &[], &Stop::default()).unwrap().sha256.to_string();
    home.wyard(&["unpack", file, "--into", into, "--sha256", &published]).ends(0).says("[tar-end-missing]");
}

#[test]
fn a_part_that_is_no_longer_known_as_one_is_missed() {
    let whole = tar(None, true);
    let home = Home::new();
    for (name, first, mut second) in [
        ("t.tar.gz", gzip(&whole[..1024]), gzip(&whole[1024..])),
        ("t.tar.bz2", bzip2(&whole[..1024]), bzip2(&whole[1024..])),
    ] {
        let file = home.write(name, [first.clone(), second.clone()].concat());
        let unpack = || {
            let into = home.path(&format!("out-{name}"));
            home.wyard(&["unpack", file.to_str().unwrap(), "--into", into.to_str().unwrap()])
        };
        unpack().ends(0);
        fs::remove_dir_all(home.path(&format!("out-{name}"))).unwrap();
        second[0] ^= 1;
        fs::write(&file, [first, second].concat()).unwrap();
        unpack().ends(3).says("truncated");
    }
}
