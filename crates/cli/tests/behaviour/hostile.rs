//! Archives that want out.

use std::fs;
use std::io::Write as _;

use crate::archives::script;
use crate::home::{Home, WINDOWS, program};

/// Adds an entry to a tar, with the name's bytes as they are: the crate's own setters refuse hostile names.
fn add(tar: &mut tar::Builder<Vec<u8>>, kind: tar::EntryType, name: &str, link: &str, content: &str) {
    let mut header = tar::Header::new_gnu();
    header.as_gnu_mut().unwrap().name[..name.len()].copy_from_slice(name.as_bytes());
    header.as_gnu_mut().unwrap().linkname[..link.len()].copy_from_slice(link.as_bytes());
    header.set_entry_type(kind);
    header.set_mode(0o6777);
    header.set_size(content.len() as u64);
    header.set_cksum();
    tar.append(&header, content.as_bytes()).unwrap();
}

/// Receives a hostile archive in every way: refused with the reason and without a trace; what is left of it without the
/// hazard is unpacked, and the hazard named, where the fault is one entry's.
fn refuse(home: &Home, archive: &std::path::Path, says: &str, alone: bool, what: &str) {
    let archive = archive.to_str().unwrap();
    let outside = fs::read_dir(home.path("")).unwrap().count();
    home.wyard(&["receive", archive]).ends(3).says(says).says("next:");
    assert!(!home.yard().join("stock").exists(), "{what}");
    let staging = home.yard().join("staging");
    assert!(!staging.exists() || fs::read_dir(staging).unwrap().next().is_none(), "{what}");
    assert_eq!(fs::read_dir(home.path("")).unwrap().count(), outside, "{what}");
    let into = home.path("into");
    home.wyard(&["unpack", archive, "--into", into.to_str().unwrap()]).ends(3).says(says);
    assert_eq!(fs::read_dir(home.path("")).unwrap().count(), outside, "{what}");
    if alone {
        home.wyard(&["receive", archive, "--dry-run"]).ends(3).says(says).says("--leave-out-hazards");
        home.wyard(&["inspect", archive]).ends(0).says("left out");
        home.wyard(&["unpack", archive, "--into", into.to_str().unwrap(), "--leave-out-hazards"])
            .ends(0)
            .says("left out");
        assert!(into.is_dir(), "{what}");
        assert_eq!(fs::read_dir(home.path("")).unwrap().count(), outside + 1, "{what}");
    }
    assert!(!std::path::Path::new("/tmp/wyard-out").exists(), "{what}");
}

#[test]
fn nothing_leaves_the_yard_whatever_a_tar_says() {
    use tar::EntryType as T;
    let long = "x".repeat(256);
    let long = format!("w/{}", &long[..97]);
    let deep = format!("w/{}x", "d/".repeat(48));
    let batch = WINDOWS;
    // What is in the archive beside a proper program, and what the refusal says.
    type Case<'a> = (&'a [(T, &'a str, &'a str)], &'a str);
    let cases: &[Case] = &[
        (&[(T::Regular, "../out", "")], "leads outside"),
        (&[(T::Regular, "w/../../out", "")], "leads outside"),
        (&[(T::Regular, "..", "")], "leads outside"),
        (&[(T::Regular, "w/..", "")], "leads outside"),
        (&[(T::Directory, "../out/", "")], "leads outside"),
        (&[(T::Directory, "w/../..", "")], "leads outside"),
        (&[(T::Regular, "./../out", "")], "leads outside"),
        (&[(T::Regular, "/tmp/wyard-out", "")], "absolute"),
        (&[(T::Directory, "/tmp/wyard-out", "")], "absolute"),
        (&[(T::Regular, "//tmp/wyard-out", "")], "absolute"),
        (&[(T::Regular, "C:\\out", "")], "absolute"),
        (&[(T::Regular, "c:/out", "")], "absolute"),
        (&[(T::Regular, "\\\\host\\share\\out", "")], "absolute"),
        (&[(T::Regular, "\\out", "")], "absolute"),
        (&[(T::Symlink, "w/l", "")], "its link target is empty"),
        (&[(T::Symlink, "w/l", "/etc/passwd")], "points outside"),
        (&[(T::Symlink, "w/l", "../../out")], "points outside"),
        (&[(T::Symlink, "w/l", "..//../out")], "points outside"),
        (&[(T::Symlink, "w/l", "./../../out")], "points outside"),
        (&[(T::Symlink, "w/l", "../../../../../../etc")], "points outside"),
        (&[(T::Symlink, "w/l", "l")], "points outside"),
        (&[(T::Symlink, "w/l", "m"), (T::Symlink, "w/m", "l")], "points outside"),
        (&[(T::Symlink, "w/a/b/p", "../.."), (T::Symlink, "w/q", "a/b/p/../../x")], "points outside"),
        (&[(T::Symlink, "w/one", ".."), (T::Symlink, "w/two", "one/../out")], "points outside"),
        (&[(T::Symlink, "w/d", "."), (T::Regular, "w/d/f", "")], "through the link"),
        (&[(T::Symlink, "w/d", "../.."), (T::Regular, "w/d/out", "")], "link"),
        (&[(T::Symlink, "w/d", "bin"), (T::Directory, "w/d/e", "")], "through the link"),
        (&[(T::Regular, "w/d/f", ""), (T::Symlink, "w/d", "bin")], "twice"),
        (&[(T::Link, "w/h", "/etc/passwd")], "hard link"),
        (&[(T::Link, "w/h", "../out")], "hard link"),
        (&[(T::Link, "w/h", "w/later"), (T::Regular, "w/later", "")], "hard link"),
        (&[(T::Link, "w/h", "w/bin")], "hard link"),
        (&[(T::Link, "w/h", "")], "hard link"),
        (&[(T::Fifo, "w/pipe", "")], "special file"),
        (&[(T::Char, "w/device", "")], "special file"),
        (&[(T::Block, "w/device", "")], "special file"),
        (&[(T::Regular, if batch { "w/bin/t.cmd/x" } else { "w/bin/t/x" }, "")], "twice"),
        (&[(T::Directory, if batch { "w/bin/t.cmd" } else { "w/bin/t" }, "")], "twice"),
        (&[(T::Symlink, "w/bin", "elsewhere")], "twice"),
    ];
    for (entries, says) in cases {
        let home = Home::new();
        let mut tar = tar::Builder::new(Vec::new());
        add(&mut tar, T::Regular, &format!("w/bin/{}", program("t")), "", &script("1.0"));
        for (kind, name, link) in *entries {
            add(&mut tar, *kind, name, link, "");
        }
        let archive = home.write("t-1.0.tar", tar.into_inner().unwrap());
        refuse(&home, &archive, says, true, &format!("{entries:?}"));
    }
    // Within the limits, if barely.
    let home = Home::new();
    let mut tar = tar::Builder::new(Vec::new());
    for name in [&format!("w/bin/{}", program("t")), &long, &deep] {
        add(&mut tar, T::Regular, name, "", &script("1.0"));
    }
    let archive = home.write("t-1.0.tar", tar.into_inner().unwrap());
    home.wyard(&["receive", archive.to_str().unwrap()]).ends(0);
}

/// The bytes of a zip of two files, `w/bin/t` and `w/aa/bb`, for spoiling.
fn two_files() -> Vec<u8> {
    use zip::write::SimpleFileOptions;
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let options = SimpleFileOptions::default();
    zip.start_file(format!("w/bin/{}", program("t")), options.unix_permissions(0o755)).unwrap();
    zip.write_all(script("1.0").as_bytes()).unwrap();
    zip.start_file("w/aa/bb", options.compression_method(zip::CompressionMethod::Stored)).unwrap();
    zip.write_all(b"tide tide tide").unwrap();
    zip.finish().unwrap().into_inner()
}

/// The same with every occurrence of some bytes replaced by as many others.
fn spoiled(from: &[u8], to: &[u8]) -> Vec<u8> {
    let mut bytes = two_files();
    assert_eq!(from.len(), to.len());
    let places: Vec<usize> = (0..bytes.len() - from.len()).filter(|at| bytes[*at..].starts_with(from)).collect();
    assert!(!places.is_empty());
    for at in places {
        bytes[at..at + to.len()].copy_from_slice(to);
    }
    bytes
}

/// The same with some bytes of the second file's header or directory record changed, whichever begins so.
fn changed(begins: &[u8], at: usize, to: &[u8]) -> Vec<u8> {
    let mut bytes = two_files();
    let records: Vec<usize> = (0..bytes.len() - 4).filter(|at| bytes[*at..].starts_with(begins)).collect();
    bytes[records[1] + at..records[1] + at + to.len()].copy_from_slice(to);
    bytes
}

fn record_changed(at: usize, to: &[u8]) -> Vec<u8> {
    let mut bytes = changed(b"PK\x01\x02", at, to);
    let records: Vec<usize> = (0..bytes.len() - 4).filter(|at| bytes[*at..].starts_with(b"PK\x01\x02")).collect();
    // Made on Unix, so that the mode counts.
    bytes[records[1] + 5] = 3;
    bytes
}

#[test]
fn nothing_leaves_the_yard_whatever_a_zip_says() {
    let whole = two_files();
    // The bytes, what the refusal says, and whether the fault is one entry's.
    let cases: Vec<(Vec<u8>, &str, bool)> = vec![
        (spoiled(b"w/aa/bb", b"../aabb"), "leads outside", true),
        (spoiled(b"w/aa/bb", b"w/../.."), "leads outside", true),
        (spoiled(b"w/aa/bb", b"/aa//bb"), "absolute", true),
        (spoiled(b"w/aa/bb", b"C:/aabb"), "absolute", true),
        (spoiled(b"w/aa/bb", b"\\\\aa/bb"), "absolute", true),
        (spoiled(b"w/aa/bb", b"w/aa\0bb"), "zero byte", true),
        // A link outward, a device, by the mode in the upper half of the attributes.
        (spoiled(b"tide tide tide", b"../../../../xx"), "damaged", false),
        (record_changed(38, &(0o020_644u32 << 16).to_le_bytes()), "special file", true),
        // Encrypted; a method nobody knows; a wrong checksum; wrong sizes; an entry over another.
        (record_changed(8, &[1, 0]), "encrypted", false),
        (record_changed(10, &[77, 0]), "unsupported compression method", false),
        (record_changed(16, &[1, 2, 3, 4]), "damaged", false),
        (record_changed(24, &[13, 0, 0, 0]), "", false),
        (record_changed(42, &[0, 0, 0, 0]), "overlap", false),
        // What stands in front of an entry says something else than the directory.
        (changed(b"PK\x03\x04", 30, b"w/aa/cc"), "a different name in its local header", false),
        (changed(b"PK\x03\x04", 26, &[6]), "a different name in its local header", false),
        (changed(b"PK\x03\x04", 8, &[8]), "a different compression method", false),
        (changed(b"PK\x03\x04", 6, &[1]), "a different encryption flag", false),
        ([&whole[..], &whole].concat(), "contains two archives", false),
        (whole[..whole.len() - 30].to_vec(), "truncated: it has", false),
        (whole[..whole.len() / 2].to_vec(), "truncated: it has", false),
    ];
    let count = cases.len();
    for (index, (bytes, says, alone)) in cases.into_iter().enumerate() {
        let home = Home::new();
        let archive = home.write("t-1.0.zip", bytes);
        refuse(&home, &archive, says, alone, &format!("zip {index} of {count}: {says}"));
    }
}

#[test]
fn what_is_too_much_is_given_up() {
    let home = Home::new();
    // 300 MiB of zero bytes pack to 300 KB: more than any tool's ratio.
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::best());
    let mut tar = tar::Builder::new(&mut packed);
    let mut header = tar::Header::new_gnu();
    header.set_size(300 << 20);
    header.set_mode(0o755);
    tar.append_data(&mut header, "w/bin/t", std::io::Read::take(std::io::repeat(0), 300 << 20)).unwrap();
    tar.finish().unwrap();
    drop(tar);
    packed.flush().unwrap();
    let archive = home.write("t-1.0.tar.gz", packed.finish().unwrap());
    let archive = archive.to_str().unwrap();
    home.wyard(&["receive", archive]).ends(3).says("250 times its own size").says("--limit");
    assert!(fs::read_dir(home.yard().join("staging")).unwrap().next().is_none());
    let into = home.path("into");
    home.wyard(&["unpack", archive, "--into", into.to_str().unwrap(), "--limit", "5"]).ends(0);
}

#[test]
fn what_is_odd_but_right_is_unpacked() {
    use tar::EntryType as T;
    let home = Home::new();
    let mut tar = tar::Builder::new(Vec::new());
    let (t, u, twin) = (program("t"), program("u"), program("twin"));
    let library = format!("t-1.0/lib/{t}");
    add(&mut tar, T::XGlobalHeader, "pax_global_header", "", "20 comment=made up\n\n");
    add(&mut tar, T::Regular, &library, "", "an older copy");
    add(&mut tar, T::Regular, &library, "", &script("1.0"));
    add(&mut tar, T::Symlink, &format!("t-1.0/bin/{t}"), &format!("../lib/{t}"), "");
    add(&mut tar, T::Symlink, &format!("t-1.0/bin/{u}"), &t, "");
    add(&mut tar, T::Link, &format!("t-1.0/bin/{twin}"), &library, "");
    let archive = home.write("t-1.0.tar", tar.into_inner().unwrap());
    let ran = home.wyard(&["receive", archive.to_str().unwrap()]).ends(0);
    let bin = home.yard().join("stock").join("t").join("1.0").join("bin");
    match fs::read_link(bin.join(&t)) {
        Ok(target) => assert_eq!(target.to_str(), Some("../lib/t")),
        Err(_) => drop(ran.says("2 links were replaced by copies").says("links-copied")),
    }
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        let mode = fs::metadata(bin.join(&twin)).unwrap().permissions().mode();
        assert_eq!(mode & 0o7777, 0o755, "set-id bits and the right of others to write are dropped");
    }
    assert_eq!(["t", "u", "twin"].map(|name| home.fresh(name)), ["t 1.0\n", "u 1.0\n", "twin 1.0\n"]);
}
