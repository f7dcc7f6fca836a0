//! Tools that do not work, startup files that undo us, machines that refuse: each is told for what it is.

use std::fs;
use std::process::Stdio;

use wagon_yard_core::os;

use crate::archives::{script, tidelog, tidelog_that};
use crate::home::{Home, Ran, program, try_each};

#[test]
#[cfg_attr(windows, ignore = "the tools are shell scripts; on_windows has the like")]
fn a_tool_is_told_for_what_it_is() {
    // The header of a program for a processor that is not this one, whichever this is.
    let elf = format!("\x7fELF\x02\x01\x01{}\x02\0\x16\0{}", "\0".repeat(9), "\0".repeat(100));
    let cases: [(&str, i32, &str, &str); 26] = [
        ("#!/no/such/interpreter\n", 1, "does-not-start", "its interpreter is missing: #!/no/such/interpreter"),
        ("#!/no/such/interpreter\n", 1, "does-not-start", "[interpreter-missing]"),
        ("#!/bin/sh\r\necho tidelog 4.2.1\r\n", 1, "does-not-start", "with a Windows line ending"),
        ("#!/usr/bin/env no-such-run\n", 1, "does-not-start", "its interpreter is missing: #!/usr/bin/env no-such-run"),
        ("#!/bin/sh\nkill -SEGV $$\n", 1, "does-not-start", "it crashed with signal 11 [crashed]"),
        ("#!/bin/sh\nsleep 100 & sleep 100\n", 1, "not-proven", "was still running after 1 s"),
        ("#!/bin/sh\nprintf 'Station name: '; read x; sleep 100\n", 1, "does-not-start", "waits for input"),
        ("#!/bin/sh\nprintf 'Station name: '; read x || exit 1\n", 1, "started-with-error", "[asks-for-input]"),
        ("#!/bin/sh\nread x < /dev/tty || exit 1\necho tidelog 4.2.1\n", 1, "not-proven", "/dev/tty"),
        ("#!/bin/sh\nyes tidelog | head -c 3000000\necho tidelog 4.2.1\n", 0, "good", "prints no version"),
        ("#!/bin/sh\necho t: cannot load it >&2; exit 127\n", 1, "does-not-start", "exits with status 127"),
        (
            "#!/bin/sh\necho 't: error while loading shared libraries: libshore.so: no' >&2; exit 127\n",
            1,
            "does-not-start",
            "the library libshore.so is missing [library-missing]",
        ),
        ("#!/bin/sh\necho tidelog 3.9\n", 1, "wrong-version", "states 3.9, expected 4.2.1"),
        ("#!/bin/sh\necho usage: tidelog FILE >&2; exit 2\n", 0, "good", "prints no version"),
        ("#!/bin/sh\necho \"tidelog: unknown option $1\" >&2; exit 2\n", 0, "good", "prints no version"),
        (
            "#!/bin/sh\necho ERROR: DRIFT_HOME is not set >&2; exit 1\n",
            1,
            "started-with-error",
            "--requires-variable DRIFT_HOME",
        ),
        ("#!/bin/sh\necho needs tide core version 4.2.1 >&2; exit 1\n", 1, "started-with-error", "--status NUMBER"),
        (
            "#!/bin/sh\necho tidelog 4.2.1; echo tidelog: cannot read its licence >&2; exit 1\n",
            1,
            "started-with-error",
            "licence",
        ),
        ("#!/bin/sh\necho cannot read its licence >&2; exit 1\n", 1, "started-with-error", "--status NUMBER"),
        (
            "#!/bin/sh\n[ -t 1 ] && { echo cannot initialise terminal >&2; exit 127; }\necho tidelog 4.2.1\n",
            1,
            "does-not-start",
            "bash (login, interactive)",
        ),
        ("#!/bin/sh\n[ -t 0 ] && echo tidelog 1.0.0 || echo tidelog 4.2.1\n", 1, "wrong-version", "states 1.0.0"),
        ("#!/bin/sh\necho ready\n", 0, "good", "prints no version"),
        ("#!/bin/sh\n[ $# = 0 ] && echo 'tidelog 4.2.1'\n", 0, "good", "4.2.1"),
        ("echo tidelog 4.2.1\n", 0, "good", "has no #! line"),
        (&elf, 1, "does-not-start", "is a program for"),
        (&elf, 1, "does-not-start", "[for-another-machine]"),
    ];
    try_each(&cases, |(program, code, verdict, says)| {
        let home = Home::new();
        let limit = if program.contains("sleep 100") { 1 } else { 10 };
        home.settings(&format!("shells = [\"bash\"]\nprobe_seconds = {limit}\n"));
        let ran = home
            .wyard(&["receive", &tidelog_that(&home, "4.2.1", program), "--foreign"])
            .ends(*code)
            .says(says)
            .says(verdict);
        assert!(*code == 0 || !ran.out.contains("Open a new terminal"), "{program}");
    });
}

#[test]
#[cfg_attr(windows, ignore = "the programs are of Unix")]
fn a_program_that_the_system_cannot_load_is_told_for_what_it_lacks() {
    // A real program, that needs a library of another name.
    let real = ["/usr/bin/env", "/bin/ls"].iter().find_map(|file| fs::read(file).ok()).unwrap();
    let (name, other) = (b"libc.so.6\0", b"lib0.so.6\0");
    let mut changed = real.clone();
    while let Some(at) = changed.windows(name.len()).position(|window| window == name) {
        changed[at..at + name.len()].copy_from_slice(other);
    }
    assert!(os::SYSTEM != "linux" || changed != real, "it is linked to the C library");
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let file = home.yard().join("stock/tidelog/4.2.1/bin/tidelog");
    fs::write(&file, &changed).unwrap();
    if os::SYSTEM == "linux" {
        home.wyard(&["check"]).ends(1).says("[library-missing]").says("lib0.so.6");
    }
    os::set_mode(&fs::File::open(&file).unwrap(), 0o644).unwrap();
    home.wyard(&["check"]).ends(1).says("[not-executable]");
    // A disk on which nothing may run, where one can be mounted.
    let disk = home.path("disk");
    fs::create_dir(&disk).unwrap();
    let mount = std::process::Command::new("mount").args(["-t", "tmpfs", "-o", "noexec", "none"]).arg(&disk).status();
    if !mount.is_ok_and(|status| status.success()) {
        eprintln!("skipped: no disk can be mounted");
        return;
    }
    let yard = disk.join("yard");
    let told = home.wyard(&["receive", &tidelog(&home, "4.1.0"), "--yard", yard.to_str().unwrap()]);
    assert!(std::process::Command::new("umount").arg(&disk).status().unwrap().success());
    told.ends(1).says("[blocked-by-policy]").says("mounted noexec");
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn startup_files_that_undo_us_are_told() {
    let old = "mkdir -p ~/old; printf '#!/bin/sh\\necho tidelog 3.9\\n' > ~/old/tidelog; chmod +x ~/old/tidelog\n";
    let cases: [(&str, String, &str, &str); 6] = [
        ("home/.bashrc", "sleep 100\n".into(), "not-found", "longer than 1 s"),
        ("home/.bashrc", "exit 0\n".into(), "not-found", "the shell ended before it answered"),
        ("home/.bashrc", "echo bad file >&2; exec true\n".into(), "not-found", "before it answered: \"bad file\""),
        ("home/.bashrc", "alias tidelog='echo 4.2.1'\n".into(), "shadowed", "is an alias"),
        ("home/.bashrc", "tidelog() { echo 4.2.1; }\n".into(), "shadowed", "is a function"),
        ("home/.bashrc", format!("{old}PATH=~/old:$PATH; return\n"), "shadowed", "~/old/tidelog"),
    ];
    for (file, content, verdict, says) in cases {
        let home = Home::new();
        // Only what never ends may meet the limit, on a busy machine too.
        let seconds = if content.starts_with("sleep") { 1 } else { 60 };
        home.settings(&format!("shells = [\"bash\"]\nshell_seconds = {seconds}\n"));
        home.write(file, &content);
        let ran = home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(1).says(verdict).says(says);
        assert!(!ran.out.contains("Open a new terminal"), "{content}");
        home.wyard(&["check"]).ends(1).says("bash 2/3");
    }
}

#[test]
#[cfg_attr(windows, ignore = "rights are mode bits")]
fn a_home_that_may_not_be_written_is_left_alone() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    fs::remove_dir_all(home.path("home/.local")).unwrap();
    home.write("home/.bashrc", "x\n");
    os::set_folder_mode(&home.path(""), 0o755).unwrap();
    os::set_folder_mode(&home.path("home"), 0o555).unwrap();
    home.as_user(&["receive", &archive]).ends(4).says("could not make the yard");
    // The yard may be written and the home not: said before anything is put into the stock.
    let yard = home.path("yard");
    fs::create_dir(&yard).unwrap();
    #[cfg(unix)]
    if os::is_superuser() {
        std::os::unix::fs::chown(&yard, Some(65534), Some(65534)).unwrap();
    }
    home.as_user(&["receive", &archive, "--yard", yard.to_str().unwrap()])
        .ends(4)
        .says("startup files cannot be changed; nothing was");
    assert!(!yard.join("stock").exists());
    // A file that everybody may write to and that is somebody else's would be the user's afterwards.
    if os::is_superuser() {
        os::set_folder_mode(&home.path("home"), 0o777).unwrap();
        os::set_folder_mode(&home.path("home/.bashrc"), 0o666).unwrap();
        home.as_user(&["receive", &archive, "--yard", yard.to_str().unwrap()])
            .ends(4)
            .says("owned or writable by another user");
        assert!(!yard.join("stock").exists() && !home.path("home/.profile").exists());
    }
    os::set_folder_mode(&home.path("home"), 0o755).unwrap();
    assert_eq!(fs::read(home.path("home/.bashrc")).unwrap(), b"x\n");
}

#[test]
#[cfg_attr(windows, ignore = "the limit that stands for a full disk is the shell's")]
fn a_full_disk_leaves_nothing_behind() {
    let home = Home::new();
    let big = format!("{}{}", script("4.2.1"), "#".repeat(1 << 20));
    let archive = tidelog_that(&home, "4.2.1", &big);
    // A limit on the size of files stands in for a full disk; the signal that comes with it is not to end the program.
    let line = "ulimit -f 512; trap '' XFSZ; exec \"$@\"";
    let mut command = std::process::Command::new("bash");
    command.args(["-c", line, "bash", env!("CARGO_BIN_EXE_wyard"), "receive", &archive]);
    command.env_clear().env("HOME", home.path("home")).env("PATH", "/usr/bin:/bin");
    Ran::from(command.output().unwrap()).ends(4).says("could not write");
    assert!(!home.yard().join("stock").exists());
    assert!(fs::read_dir(home.yard().join("staging")).unwrap().next().is_none());
}

#[test]
fn two_at_once_do_not_meet() {
    let home = Home::new();
    let archives = ["1.0", "2.0", "3.0", "4.0"].map(|version| tidelog(&home, version));
    let running: Vec<_> = archives
        .iter()
        .map(|a| home.command(&["receive", a, "--quiet"]).stdout(Stdio::null()).spawn().unwrap())
        .collect();
    for mut one in running {
        // Which version the others put in service meanwhile decides between good and shadowed.
        assert!(matches!(one.wait().unwrap().code(), Some(0 | 1)));
    }
    let stock = home.wyard(&["stock", "--json"]).ends(0).json();
    let tools = stock["tools"].as_array().unwrap();
    assert_eq!(tools.len(), 4);
    assert_eq!(tools.iter().filter(|t| t["in_service"] == true && t["registered"] == "user").count(), 1);
    home.wyard(&["check"]).ends(0);
}

#[test]
fn names_from_archives_do_not_reach_the_terminal_raw() {
    let home = Home::new();
    let red = format!("w/bin/{}", program("\u{1b}[31mred\u{202e}"));
    let files = [(&*format!("w/bin/{}", program("t")), &*script("1.0"), 0o755), (&red, &script("1.0"), 0o755)];
    let archive = crate::archives::zip(&home.path("t-1.0.zip"), &files);
    let ran = home.wyard(&["receive", archive.to_str().unwrap()]);
    assert!(!ran.out.contains('\u{1b}') && !ran.out.contains('\u{202e}'), "{}", ran.out);
    ran.says("\\u{1b}[31mred\\u{202e}");
}

#[test]
fn how_a_tool_is_asked_can_be_set_and_is_kept() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let verdict = |arguments: &[&str]| {
        let report = home.wyard(&[&["check", "tidelog", "--json"], arguments].concat()).json();
        (report["verdict"].as_str().unwrap().to_owned(), report["tools"][0]["commands"][0]["answered_version"].clone())
    };
    assert_eq!(verdict(&["--expect", "no such words"]).0, "wrong-version");
    assert_eq!(verdict(&[]).0, "wrong-version", "it is kept");
    assert_eq!(verdict(&["--expect", "tidelog 4.2"]), ("good".to_owned(), "tidelog 4.2".into()));
    assert_eq!(verdict(&["--probe", "--version --short"]).0, "good", "what was expected stays");
    assert_eq!(verdict(&["--usual-probe"]), ("good".to_owned(), "4.2.1".into()));
    let (told, version) = verdict(&["--no-run"]);
    assert_eq!((told.as_str(), version), ("good", serde_json::Value::Null), "nothing was started");
    home.wyard(&["check", "tidelog", "--status", "many"]).ends(2).says("an exit status is a whole number");
    home.wyard(&["check", "--expect", "x"]).ends(2);
    home.wyard(&["check", "tidelog", "shoal", "--expect", "x"]).ends(2).says("exactly one tool");
}

#[test]
#[cfg_attr(windows, ignore = "it is startup files that set it anew")]
fn a_home_variable_that_leads_elsewhere_is_not_good() {
    let home = Home::with(&["bash"]);
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let bashrc = fs::read_to_string(home.path("home/.bashrc")).unwrap();
    home.write("home/.bashrc", format!("{bashrc}export TIDELOG_HOME=/opt/old\n"));
    let told = home.wyard(&["check"]).ends(1).says("[home-variable-differs]").says("bash (interactive)");
    told.says("TIDELOG_HOME is /opt/old in a new terminal; expected");
}
