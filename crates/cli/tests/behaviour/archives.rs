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
pub fn zip(target: &Path, files: &[(&str, &str, u32)]) -> PathBuf {
    let mut zip = zip::ZipWriter::new(fs::File::create(target).unwrap());
    for (path, content, mode) in files {
        zip.start_file(*path, SimpleFileOptions::default().unix_permissions(*mode)).unwrap();
        zip.write_all(content.as_bytes()).unwrap();
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
    // How to pack `tidelog-4.2.1` (or, flat, what is in it) into the file named by $1, seen from the folder above.
    type Case<'a> = (&'a str, &'a str, &'a str, bool);
    let cases: [Case; 7] = [
        ("tar", "tar.gz", "tar -czf \"$1\" tidelog-4.2.1", true),
        ("tar", "tar.gz", "tar -czf \"$1\" -C tidelog-4.2.1 .", false),
        ("tar", "tar", "tar --format=pax -cf \"$1\" tidelog-4.2.1", true),
        ("zip", "zip", "zip -qr \"$1\" tidelog-4.2.1", true),
        ("zip", "zip", "cd tidelog-4.2.1 && zip -qr \"$1\" .", false),
        (
            "python3",
            "zip",
            "python3 -c 'import zipfile,sys; z=zipfile.ZipFile(sys.argv[1],\"w\",zipfile.ZIP_DEFLATED); \
             [z.write(\"tidelog-4.2.1/\"+f) for f in (\"bin/tidelog\",\"share/read.me\")]; z.close()' \"$1\"",
            true,
        ),
        // Without any execute bit: content tells which files are programs.
        (
            "python3",
            "zip",
            "python3 -c 'import zipfile,sys; z=zipfile.ZipFile(sys.argv[1],\"w\"); \
             [z.writestr(f, open(\"tidelog-4.2.1/\"+f).read()) for f in (\"bin/tidelog\",\"share/read.me\")]; \
             z.close()' \"$1\"",
            false,
        ),
    ];
    for (program, ending, line, wrapped) in cases {
        if !have(program) {
            continue;
        }
        let home = Home::new();
        let made = home.write("tidelog-4.2.1/bin/tidelog", script("4.2.1"));
        os::set_folder_mode(&made, 0o755).unwrap();
        home.write("tidelog-4.2.1/share/read.me", "text\n");
        let archive = home.path(&format!("tidelog-4.2.1-linux.{ending}"));
        let packed = Command::new("sh").args(["-c", line, "sh"]).arg(&archive).current_dir(home.path("")).status();
        assert!(packed.unwrap().success(), "{line}");
        let ran = home.wyard(&["receive", archive.to_str().unwrap(), "--json"]).ends(0);
        let report = ran.json();
        assert_eq!(report["wrapper"], if wrapped { "tidelog-4.2.1" } else { "" }, "{line}");
        assert_eq!(report["verdict"], "good", "{line}");
        let stock = home.yard().join("stock/tidelog/4.2.1");
        assert_eq!(fs::read(stock.join("bin/tidelog")).unwrap(), script("4.2.1").as_bytes(), "{line}");
        assert_eq!(fs::read(stock.join("share/read.me")).unwrap(), b"text\n", "{line}");
        assert!(!os::may_execute(&stock.join("share/read.me")), "{line}");
    }
}
