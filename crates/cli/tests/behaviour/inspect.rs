//! `inspect`, `unpack`, and the checksums that every reading of a download compares.

use std::fs;

use wagon_yard_core::checksum::{Algorithm, compute};
use wagon_yard_core::os;
use wagon_yard_core::progress::Stop;

use crate::archives::{script, tidelog, zip};
use crate::home::{Home, program};

fn sha256(file: &str) -> String {
    let content = fs::File::open(file).unwrap();
    compute(&[Algorithm::Sha256], content, &Stop::default()).unwrap()[0].to_string()
}

#[test]
fn inspect_tells_what_is_inside_and_what_would_happen_here() {
    let home = Home::new();
    let launcher = if cfg!(windows) { "@set H=C:\\tide\\lib\r\n" } else { "#!/bin/sh\nH=/opt/tide/lib\n" };
    let (tidal, start) =
        (format!("tidelog-4.2.1/bin/{}", program("tidelog")), format!("tidelog-4.2.1/bin/{}", program("start-it")));
    let files = [
        (&*tidal, &*script("4.2.1"), 0o755),
        (&start, launcher, 0o755),
        ("tidelog-4.2.1/conf/tidelog.ini.sample", "x", 0o644),
        ("tidelog-4.2.1/README.md", "x", 0o644),
        ("tidelog-4.2.1/setup-tidelog.exe", "x", 0o644),
        ("../out", "x", 0o644),
    ];
    let archive = zip(&home.path("tidelog-4.2.1-linux-x64.zip"), &files);
    let before = home.files();
    let report = home.wyard(&["inspect", archive.to_str().unwrap(), "--json"]).ends(0).json();
    assert_eq!((&report["format"], &report["report"]), (&1.into(), &"inspect".into()));
    assert_eq!((&report["container"], &report["compression"]), (&"zip".into(), &"none".into()));
    assert_eq!((&report["wrapper"], &report["command_folders"][0]), (&"tidelog-4.2.1".into(), &"bin".into()));
    let suggested = &report["suggested"];
    assert_eq!((&suggested["name"], &suggested["version"]), (&"tidelog".into(), &"4.2.1".into()));
    assert_eq!((&suggested["os"], &suggested["home_variable"]), (&"linux".into(), &"TIDELOG_HOME".into()));
    assert_eq!(report["hazards"][0]["entry"], "../out");
    assert_eq!(report["commands"][1]["name"], "tidelog");
    assert_eq!(report["commands"][1]["hindrance"], serde_json::Value::Null);
    let ran = home.wyard(&["inspect", archive.to_str().unwrap()]).ends(0);
    ran.says("new here")
        .says("tidelog.ini.sample")
        .says("README.md")
        .says("setup-tidelog.exe")
        .says("fixed-path")
        .says("leads outside");
    assert_eq!(home.files(), before, "nothing is written");
    home.wyard(&["receive", &tidelog(&home, "3.9")]).ends(0);
    home.wyard(&["inspect", archive.to_str().unwrap()]).ends(0).says("the yard has 3.9");
    let source = zip(&home.path("driftc-1.0.zip"), &[("w/src/main.src", "x", 0o644), ("w/Makefile", "x", 0o644)]);
    home.wyard(&["inspect", source.to_str().unwrap()]).ends(0).says("this is source code");
    home.wyard(&["receive", source.to_str().unwrap()]).ends(3).says("download a build");
}

#[test]
#[cfg_attr(windows, ignore = "the copy that is here is a shell script")]
fn inspect_tells_what_a_program_lacks_and_which_version_is_here() {
    let home = Home::new();
    // A program of the system, with the name of a library it needs changed to one that nobody has.
    let own = fs::read("/bin/sh").unwrap();
    let changed = String::from_utf8_lossy(&own).contains("libc.so.6").then(|| {
        let mut own = own.clone();
        while let Some(at) = own.windows(9).position(|nine| nine == b"libc.so.6") {
            own[at..at + 9].copy_from_slice(b"libshoal9");
        }
        own
    });
    for (name, program, hindrance) in [
        ("whole", Some(own), serde_json::Value::Null),
        ("lacking", changed, "it needs the library libshoal9; install the package that provides libshoal9".into()),
    ] {
        let Some(program) = program else { continue };
        let mut zip = zip::ZipWriter::new(fs::File::create(home.path("t-1.0.zip")).unwrap());
        zip.start_file(format!("bin/{name}"), zip::write::SimpleFileOptions::default().unix_permissions(0o755))
            .unwrap();
        std::io::Write::write_all(&mut zip, &program).unwrap();
        zip.finish().unwrap();
        let report = home.wyard(&["inspect", "t-1.0.zip", "--json"]).ends(0).json();
        assert_eq!(report["commands"][0]["hindrance"], hindrance, "{name}");
    }
    let old = home.write("old/tidelog", script("3.9"));
    os::set_folder_mode(&old, 0o755).unwrap();
    let archive = tidelog(&home, "4.2.1");
    // What counts is what a new terminal has, not this one.
    home.write("home/.bashrc", format!("PATH={}:$PATH\n", old.parent().unwrap().display()));
    let inspect = |more: &[&str]| home.wyard(&[&["inspect", &archive][..], more].concat()).ends(0);
    inspect(&["--versions"]).says("old/tidelog (3.9)");
    assert_eq!(inspect(&["--json"]).json()["commands"][0]["here_version"], serde_json::Value::Null);
}

#[test]
fn of_a_large_file_only_what_is_needed_is_read() {
    let home = Home::new();
    let mut tar = tar::Builder::new(fs::File::create(home.path("t-1.0.tar")).unwrap());
    let mut header = tar::Header::new_gnu();
    header.set_mode(0o755);
    let program = script("1.0");
    header.set_size(program.len() as u64);
    tar.append_data(&mut header, format!("t-1.0/bin/{}", crate::home::program("t")), program.as_bytes()).unwrap();
    header.set_mode(0o644);
    header.set_size(200 << 20);
    header.set_path("t-1.0/data").unwrap();
    header.set_cksum();
    let mut file = tar.into_inner().unwrap();
    file.set_len(2048).unwrap();
    // A hole on the disk: 200 MiB of content, and the two blocks that end it.
    std::io::Seek::seek(&mut file, std::io::SeekFrom::Start(1024)).unwrap();
    std::io::Write::write_all(&mut file, header.as_bytes()).unwrap();
    file.set_len(1024 + 512 + (200 << 20) + 1024).unwrap();
    home.wyard(&["inspect", "t-1.0.tar"]).ends(0).says("--whole").says("200.00 MiB unpacked");
    home.wyard(&["inspect", "t-1.0.tar", "--whole"]).ends(0).says("SHA-256 not compared");
}

#[test]
fn checksums_are_taken_from_wherever_they_are_published() {
    let right = |home: &Home| sha256(&tidelog(home, "4.2.1"));
    let wrong = "0".repeat(64);
    // What lies beside the archive (with `@` for the right checksum), the options, the exit code, and what is said.
    type Case<'a> = (&'a [(&'a str, &'a str)], &'a [&'a str], i32, &'a str);
    let cases: &[Case] = &[
        (&[], &[], 0, "not compared"),
        (&[("tidelog-4.2.1.zip.sha256", "@\n")], &[], 0, "as published (SHA-256 in tidelog-4.2.1.zip.sha256)"),
        (&[("SHA256SUMS", "@ *tidelog-4.2.1.zip\r\n")], &[], 0, "as published (SHA-256 in SHA256SUMS)"),
        (&[("checksums.txt", "@  other.zip\n")], &[], 0, "not compared"),
        (&[("checksums.txt", "SHA256 (tidelog-4.2.1.zip) = @\n")], &[], 0, "as published"),
        (&[("SHA256SUMS", &format!("{wrong}  tidelog-4.2.1.zip\n"))], &[], 3, "not the published file"),
        // What the user gives counts, and not what lies there.
        (&[("SHA256SUMS", &format!("{wrong}  tidelog-4.2.1.zip\n"))], &["--sha256", "@"], 0, "as published"),
        (&[("list", "@  tidelog-4.2.1.zip\n")], &["--checksums", "list"], 0, "as published (SHA-256 in list)"),
        (&[("list", "@  other.zip\n")], &["--checksums", "list"], 3, "has no checksum of tidelog-4.2.1.zip"),
        (&[], &["--checksums", "none"], 4, "could not read"),
        (&[], &["--md5", "00000000000000000000000000000000"], 3, "published MD5"),
        (&[], &["--sha1", "00"], 2, "40 hex digits"),
        (&[], &["--sha512", "@"], 2, "128 hex digits"),
    ];
    for (beside, options, code, says) in cases {
        let home = Home::new();
        let archive = tidelog(&home, "4.2.1");
        let sum = right(&home);
        for (name, text) in *beside {
            home.write(name, text.replace('@', &sum));
        }
        let options: Vec<String> = options.iter().map(|option| option.replace('@', &sum)).collect();
        let mut call = vec!["inspect", &archive];
        call.extend(options.iter().map(String::as_str));
        home.wyard(&call).ends(*code).says(says);
        call[0] = "receive";
        home.wyard(&call).ends(*code).says(says);
        assert_eq!(home.yard().join("stock").exists(), *code == 0, "{options:?}");
    }
}

#[test]
fn unpack_makes_a_new_folder_and_nothing_else() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    let call = |into: &str, more: &[&str]| home.wyard(&[&["unpack", &archive, "--into", into][..], more].concat());
    call("plan", &["--dry-run"]).ends(0).says("would go into");
    assert!(!home.path("plan").exists());
    call("plain", &[]).ends(0).says("wrapper folder tidelog-4.2.1 removed");
    assert_eq!(fs::read(home.path("plain/README")).unwrap(), b"read\n");
    call("deep/er/whole", &["--keep-wrapper"]).ends(0);
    assert_eq!(fs::read(home.path("deep/er/whole/tidelog-4.2.1/README")).unwrap(), b"read\n");
    call("plain", &[]).ends(2).says("already exists");
    let report = call("json", &["--json"]).ends(0).json();
    assert_eq!((&report["report"], &report["files"]), (&"unpack".into(), &2.into()));
    assert!(!home.yard().join("stock").exists() && home.files().is_empty());
    // Of files without any program too.
    let papers = zip(&home.path("papers.zip"), &[("a.txt", "a", 0o644), ("b/c.txt", "c", 0o644)]);
    home.wyard(&["unpack", papers.to_str().unwrap(), "--into", "papers"]).ends(0);
    assert_eq!(fs::read(home.path("papers/b/c.txt")).unwrap(), b"c");
    let left: Vec<_> = fs::read_dir(home.path("")).unwrap().map(|e| e.unwrap().file_name()).collect();
    assert!(left.iter().all(|name| !name.to_string_lossy().starts_with(".wyard")), "{left:?}");
}
