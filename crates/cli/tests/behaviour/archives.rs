//! Archives made in the tests: by our own hands for odd ones, by other programs for usual ones.

use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::process::Command;

use wagon_yard_core::os;
use zip::write::SimpleFileOptions;

use crate::home::{Home, WINDOWS, have};

/// A script or batch file that states its name and a version.
pub fn script(version: &str) -> String {
    if WINDOWS {
        format!("@echo off\r\necho %~n0 {version}\r\n")
    } else {
        format!("#!/bin/sh\necho \"${{0##*/}} {version}\"\n")
    }
}

/// A zip of files with their modes.
pub fn zip<C: AsRef<[u8]>>(target: &Path, files: &[(&str, C, u32)]) -> PathBuf {
    let mut zip = zip::ZipWriter::new(fs::File::create(target).unwrap());
    for (path, content, mode) in files {
        zip.start_file(*path, SimpleFileOptions::default().unix_permissions(*mode)).unwrap();
        zip.write_all(content.as_ref()).unwrap();
    }
    zip.finish().unwrap();
    target.to_owned()
}

/// tidelog in a zip with a wrapper and a `bin`.
pub fn tidelog(home: &Home, version: &str) -> String {
    tidelog_that(home, version, &script(version))
}

/// The same with another program in it.
pub fn tidelog_that(home: &Home, version: &str, program: &str) -> String {
    let target = home.path(&format!("tidelog-{version}.zip"));
    let wrapper = format!("tidelog-{version}");
    let file = format!("{wrapper}/bin/{}", crate::home::program("tidelog"));
    zip(&target, &[(&file, program, 0o755), (&format!("{wrapper}/README"), "read\n", 0o644)]);
    target.to_str().unwrap().to_owned()
}

#[test]
#[cfg_attr(windows, ignore = "the archivers and their execute bits are of Unix")]
fn archives_of_other_programs_are_received() {
    // How to pack `tidelog-4.2.1` (or, flat, what is in it) into the file named by $1, seen from the folder above; the
    // wrapper that is to be found, and where the program is then.
    type Case<'a> = (&'a [&'a str], &'a str, &'a str, &'a str, &'a str);
    let (w, p) = ("tidelog-4.2.1", "bin/tidelog");
    let python = |line: &str| format!("python3 -c 'import zipfile,sys; {line}; z.close()' \"$1\"");
    let files = "for f in (\"bin/tidelog\",\"share/read.me\")";
    let by_python = |method: &str| {
        let wrapped = "z.write(\"tidelog-4.2.1/\"+f)";
        python(&format!("z=zipfile.ZipFile(sys.argv[1],\"w\",zipfile.{method}); [{wrapped} {files}]"))
    };
    let without_modes = python(&format!(
        "z=zipfile.ZipFile(sys.argv[1],\"w\"); [z.writestr(f, open(\"tidelog-4.2.1/\"+f).read()) {files}]"
    ));
    let backslashes = python(&format!(
        "z=zipfile.ZipFile(sys.argv[1],\"w\"); \
         [z.writestr(\"w\\\\\"+f.replace(\"/\",\"\\\\\"), open(\"tidelog-4.2.1/\"+f).read()) {files}]"
    ));
    let (deflated, bzipped, lzma) = (by_python("ZIP_DEFLATED"), by_python("ZIP_BZIP2"), by_python("ZIP_LZMA"));
    let seven = |kind: &str, options: &str| {
        format!("7z a -t{kind} {options} \"$1.{kind}\" tidelog-4.2.1 >/dev/null && mv \"$1.{kind}\" \"$1\"")
    };
    let (seven_z, solid_bz, deflate64) = (seven("7z", ""), seven("7z", "-m0=BZip2"), seven("zip", "-mm=Deflate64"));
    let parts = |packer: &str| {
        format!("tar -cf t.tar tidelog-4.2.1; (head -c 3000 t.tar | {packer}; tail -c +3001 t.tar | {packer}) >\"$1\"")
    };
    let (gzip_parts, xz_parts, bzip2_parts) = (parts("gzip -c"), parts("xz -c"), parts("bzip2 -c"));
    let cases: &[Case] = &[
        (&["tar"], "tar.gz", "tar -czf \"$1\" tidelog-4.2.1", w, p),
        (&["tar"], "tar.gz", "tar -czf \"$1\" -C tidelog-4.2.1 .", "", p),
        (&["tar"], "tar", "tar --format=pax -cf \"$1\" tidelog-4.2.1", w, p),
        (&["tar"], "tar", "tar --format=gnu -S -cf \"$1\" tidelog-4.2.1", w, p),
        (&["tar", "gzip"], "tar.gz", &gzip_parts, w, p),
        (&["tar", "xz"], "tar.xz", "tar -cJf \"$1\" tidelog-4.2.1", w, p),
        (&["tar", "xz"], "tar.xz", &xz_parts, w, p),
        (&["tar", "xz"], "tar.lzma", "tar --lzma -cf \"$1\" tidelog-4.2.1", w, p),
        (&["tar", "bzip2"], "tar.bz2", "tar -cjf \"$1\" tidelog-4.2.1", w, p),
        (&["tar", "bzip2"], "tar.bz2", &bzip2_parts, w, p),
        (&["tar", "zstd"], "tar.zst", "tar --zstd -cf \"$1\" tidelog-4.2.1", w, p),
        (&["zip"], "zip", "zip -qr \"$1\" tidelog-4.2.1", w, p),
        // As a stream, with the sizes behind the content.
        (&["zip"], "zip", "zip -qr - tidelog-4.2.1 >\"$1\"", w, p),
        // Something in front of it.
        (&["zip"], "zip", "zip -qr a.zip tidelog-4.2.1; (printf '\\001\\002stub'; cat a.zip) >\"$1\"", w, p),
        (&["zip"], "zip", "cd tidelog-4.2.1 && zip -qr \"$1\" .", "", p),
        (&["python3"], "zip", &deflated, w, p),
        (&["python3"], "zip", &bzipped, w, p),
        (&["python3"], "zip", &lzma, w, p),
        // Without any execute bit: content tells which files are programs.
        (&["python3"], "zip", &without_modes, "", p),
        (&["python3"], "zip", &backslashes, "w", p),
        (&["7z"], "zip", &deflate64, w, p),
        (&["7z"], "7z", &seven_z, w, p),
        (&["7z"], "7z", &solid_bz, w, p),
        // An archive that holds just an archive.
        (&["zip", "tar"], "zip", "tar -czf in.tar.gz tidelog-4.2.1; zip -q \"$1\" in.tar.gz", w, p),
        (&["gzip", "zip"], "gz", "zip -qr a.zip tidelog-4.2.1; gzip -c a.zip >\"$1\"", w, p),
        (
            &["dpkg-deb"],
            "deb",
            "mkdir -p d/DEBIAN d/usr; cp -r tidelog-4.2.1/* d/usr; printf 'Package: tidelog\nVersion: 4.2.1\n\
             Architecture: all\nMaintainer: Brackwater Tide Office <tide@office.invalid>\nDescription: tide\n' \
             >d/DEBIAN/control; dpkg-deb -b d \"$1\" >/dev/null",
            "",
            "usr/bin/tidelog",
        ),
        // One file by itself, packed and bare.
        (&["gzip"], "gz", "gzip -c tidelog-4.2.1/bin/tidelog >\"$1\"", "", "tidelog"),
        (&["cp"], "", "cp tidelog-4.2.1/bin/tidelog \"$1\"", "", "tidelog"),
    ];
    for (programs, ending, line, wrapper, place) in cases {
        if !programs.iter().all(|program| have(program)) {
            continue;
        }
        let home = Home::new();
        let made = home.write("tidelog-4.2.1/bin/tidelog", script("4.2.1"));
        os::set_folder_mode(&made, 0o755).unwrap();
        home.write("tidelog-4.2.1/share/read.me", "text\n");
        // More than is looked at of a file, before the program.
        home.write("tidelog-4.2.1/a.txt", Vec::from_iter((0..9000).map(|at: u32| (at * at).to_le_bytes()[1])));
        let archive = home.path(format!("tidelog-4.2.1-linux.{ending}").trim_end_matches('.'));
        let packed = Command::new("sh").args(["-c", line, "sh"]).arg(&archive).current_dir(home.path("")).status();
        assert!(packed.unwrap().success(), "{line}");
        let archive = archive.to_str().unwrap();
        let seen = home.wyard(&["inspect", archive, "--json"]).ends(0).json();
        let report = home.wyard(&["receive", archive, "--json"]).ends(0).json();
        assert_eq!(report["wrapper"], *wrapper, "{line}");
        assert_eq!(report["verdict"], "good", "{line}");
        for field in ["sha256", "container", "compression", "files", "unpacked_bytes", "wrapper"] {
            assert_eq!(seen[field], report[field], "{line}: inspect and receive agree on {field}");
        }
        let stock = home.yard().join("stock/tidelog/4.2.1");
        assert_eq!(fs::read(stock.join(place)).unwrap(), script("4.2.1").as_bytes(), "{line}");
        if let Some(above) = place.strip_suffix("bin/tidelog") {
            let text = stock.join(above).join("share/read.me");
            assert_eq!(fs::read(&text).unwrap(), b"text\n", "{line}");
            assert!(!os::may_execute(&text), "{line}");
        }
        // Nothing tells that a script is truncated, nor what stands behind a stub.
        if *programs != ["cp"] && !line.contains("stub") {
            let whole = fs::read(archive).unwrap();
            let half = home.write(&format!("half.{ending}"), &whole[..whole.len() / 2]);
            let size = format!("truncated: it has {} bytes", whole.len() / 2);
            home.wyard(&["unpack", half.to_str().unwrap(), "--into", "half"]).ends(3).says(&size);
        }
    }
}
