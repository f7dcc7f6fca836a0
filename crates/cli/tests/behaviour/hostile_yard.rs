//! Yards that somebody has tampered with, records that others may not read, and places that cannot be used.

use std::fs;
use std::io::Write as _;
use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use std::process::Command;

use wagon_yard_core::os;

use crate::archives::{script, tidelog, zip};
use crate::home::{Home, Ran, have};

fn mode(path: &Path) -> u32 {
    fs::metadata(path).unwrap().permissions().mode() & 0o777
}

#[test]
fn nothing_is_cleared_through_a_link() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    for (name, arguments) in [
        ("staging", &["stock", "--mend"][..]),
        ("staging", &["register", "tidelog"]),
        ("retired", &["retire", "--empty"]),
        ("cards", &["register", "tidelog"]),
    ] {
        let (place, aside) = (home.yard().join(name), home.yard().join("aside"));
        home.write("precious/work", "of years");
        let was_there = fs::rename(&place, &aside).is_ok();
        os::make_link(&home.path("precious"), &place).unwrap();
        home.wyard(&[arguments, &["-v"]].concat());
        assert_eq!(fs::read_to_string(home.path("precious/work")).unwrap(), "of years", "{name}");
        fs::remove_file(&place).unwrap();
        if was_there {
            fs::rename(&aside, &place).unwrap();
        }
    }
}

#[test]
fn a_card_that_leads_out_of_its_tool_is_refused() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let card = home.yard().join("cards/tidelog/4.2.1.toml");
    let whole = fs::read_to_string(&card).unwrap();
    for place in ["/tmp", "../../../../..", "bin/../../x"] {
        let forged = whole.replace("command_folders = [\"bin\"]", &format!("command_folders = [\"{place}\"]"));
        assert_ne!(forged, whole);
        fs::write(&card, forged).unwrap();
        home.wyard(&["register", "tidelog"]).ends(4).says("outside the tool");
    }
}

#[test]
fn records_are_the_users_own() {
    let home = Home::new();
    let profile = home.write("home/.profile", "export TIDE_TOKEN=secret\n");
    fs::set_permissions(&profile, fs::Permissions::from_mode(0o600)).unwrap();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let yard = home.yard();
    let look = || {
        for folder in ["cards", "startup-before", "logs"] {
            assert_eq!(mode(&yard.join(folder)), 0o700, "{folder}");
        }
        assert_eq!(mode(&yard.join("ledger.jsonl")), 0o600);
        assert_eq!(mode(&profile), 0o600);
    };
    look();
    // What was written otherwise before is mended by the next change.
    for (place, bits) in [("cards", 0o755), ("startup-before", 0o755), ("ledger.jsonl", 0o644)] {
        fs::set_permissions(yard.join(place), fs::Permissions::from_mode(bits)).unwrap();
    }
    home.wyard(&["unregister", "tidelog"]).ends(0);
    look();
    if os::is_superuser() {
        let read = Ran::from(
            std::os::unix::process::CommandExt::uid(Command::new("cat").arg(yard.join("ledger.jsonl")), 65534)
                .output()
                .unwrap(),
        );
        assert!(read.code != 0 && read.out.is_empty());
    }
}

#[test]
fn without_a_place_for_temporary_files_nothing_is_begun() {
    let mut home = Home::new();
    home.variables.insert("TMPDIR".to_owned(), "/dev/null/none".to_owned());
    let archive = tidelog(&home, "4.2.1");
    for more in [&[][..], &["--or-undo"]] {
        home.wyard(&[&["receive", &archive], more].concat()).ends(4).says("/dev/null/none");
        assert!(!home.yard().join("cards/tidelog").exists() && !home.path("home/.bashrc").exists());
    }
}

#[test]
fn an_archive_in_an_archive_has_limits() {
    let home = Home::new();
    // 600 MB of zero bytes behind the head of a zip, packed to some kilobytes.
    let inner = [&b"PK\x03\x04"[..], &vec![0; 1 << 20]].concat();
    let mut encoder = zstd::Encoder::new(Vec::new(), 1).unwrap();
    encoder.write_all(&inner).unwrap();
    for _ in 0..600 {
        encoder.write_all(&inner[4..]).unwrap();
    }
    let file = home.write("deep-1.0.zip.zst", encoder.finish().unwrap());
    home.wyard(&["inspect", file.to_str().unwrap()]).ends(3).says("times its own size");
}

#[test]
fn inspect_runs_nothing_that_an_archive_names() {
    let home = Home::new();
    let quirk = home.write("home/bin/quirk", "#!/bin/sh\necho quirk 9.9\n");
    os::set_folder_mode(&quirk, 0o755).unwrap();
    home.write("home/.bashrc", "PATH=$HOME/bin:$PATH\n");
    let archive = zip(&home.path("quirk-1.0.zip"), &[("w/bin/quirk", &script("1.0"), 0o755)]);
    let archive = archive.to_str().unwrap();
    let ran = home.wyard(&["inspect", archive, "-vv"]).ends(0).says("bin/quirk");
    assert!(!ran.err.contains("bin/quirk\""), "{}", ran.err);
    home.wyard(&["inspect", archive, "--versions"]).ends(0).says("9.9");
}

/// Gives a folder, and all in it, to a user.
fn give(folder: &Path, user: u32) {
    assert!(Command::new("chown").args(["-R", &format!("{user}:{user}")]).arg(folder).status().unwrap().success());
}

#[test]
fn root_writes_nothing_where_another_user_could_change_it() {
    if !os::is_superuser() {
        eprintln!("skipped: it takes two users");
        return;
    }
    if !have("zsh") || !have("fish") {
        return;
    }
    for variable in ["XDG_DATA_HOME", "XDG_CONFIG_HOME", "ZDOTDIR", "WYARD_YARD"] {
        let mut home = Home::with(&["bash", "zsh", "fish"]);
        let archive = tidelog(&home, "4.2.1");
        fs::create_dir_all(home.path("other/files")).unwrap();
        give(&home.path("other"), 1234);
        home.variables.insert("WYARD_YARD".to_owned(), home.path("yard").to_str().unwrap().to_owned());
        fs::create_dir(home.path("yard")).unwrap();
        fs::write(home.path("yard/settings.toml"), "shells = [\"bash\", \"zsh\", \"fish\"]\n").unwrap();
        if variable == "XDG_DATA_HOME" {
            home.variables.remove("WYARD_YARD");
        }
        home.variables.insert(variable.to_owned(), home.path("other/files").to_str().unwrap().to_owned());
        home.wyard(&["receive", &archive]).ends(4).says("owned or writable by another user").says("other");
        assert!(!home.path("home/.bashrc").exists(), "{variable}");
        assert_eq!(fs::read_dir(home.path("other/files")).unwrap().count(), 0, "{variable}");
    }
    // What everybody may write to is nobody's, unless it only takes new files.
    for (mode, code) in [(0o777, 4), (0o1777, 0), (0o755, 0)] {
        let mut home = Home::new();
        let archive = tidelog(&home, "4.2.1");
        let shared = home.path("shared");
        fs::create_dir(&shared).unwrap();
        fs::set_permissions(&shared, fs::Permissions::from_mode(mode)).unwrap();
        home.variables.insert("WYARD_YARD".to_owned(), shared.join("yard").to_str().unwrap().to_owned());
        home.wyard(&["receive", &archive]).ends(code);
    }
}

#[test]
fn looking_into_a_forged_yard_writes_nothing() {
    let home = Home::new();
    let forged = home.path("forged");
    fs::create_dir(&forged).unwrap();
    let victim = home.path("home/.ssh/authorized_keys");
    fs::create_dir(home.path("home/.ssh")).unwrap();
    let operation = format!(
        "{{\"operation\":\"file\",\"path\":{victim:?},\"role\":\"restored\",\"before\":\"EVIL\",\"after\":null}}"
    );
    let line = format!(
        "{{\"event\":\"begin\",\"format\":1,\"id\":1,\"time\":\"2026-01-01T00:00:00Z\",\"command\":\"x\",\"does\":\"y\",\"undoes\":null,\"operations\":[{operation}]}}\n"
    );
    fs::write(forged.join("ledger.jsonl"), line).unwrap();
    for arguments in
        [&["history"][..], &["stock", "--no-run"], &["trace", "ls"], &["path", "show"], &["stock", "--mend"], &["undo"]]
    {
        home.wyard(&[arguments, &["--yard", forged.to_str().unwrap()]].concat());
        assert!(!victim.exists(), "{arguments:?}");
    }
    assert!(fs::read_to_string(forged.join("ledger.jsonl")).unwrap().contains("EVIL"), "it is kept as it was");
}

#[test]
fn a_copied_home_leaves_the_original_alone() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let copy = home.path("copy");
    assert!(Command::new("cp").arg("-a").arg(home.path("home")).arg(&copy).status().unwrap().success());
    let in_copy = |arguments: &[&str]| Ran::from(home.command(arguments).env("HOME", &copy).output().unwrap());
    in_copy(&["undo"]).ends(4).says("was copied or moved from").says("wyard stock --moved");
    in_copy(&["stock", "--no-run"]).ends(0);
    assert!(home.yard().join("cards/tidelog/4.2.1.toml").exists());
    in_copy(&["stock", "--dry-run"]).ends(2).says("--mend|--moved");
    in_copy(&["stock", "--moved"]).ends(0).says("before-move");
    in_copy(&["register", "tidelog"]).ends(0);
    in_copy(&["undo"]).ends(0);
    home.wyard(&["check"]).ends(0);
    assert!(home.yard().join("stock/tidelog/4.2.1/bin/tidelog").exists());
}

#[test]
fn a_tool_that_others_may_change_is_told() {
    let home = Home::with(&["bash", "sh"]);
    let program = home.write("neap-2.1/bin/neap", script("2.1"));
    fs::set_permissions(&program, fs::Permissions::from_mode(0o755)).unwrap();
    let root = home.path("neap-2.1");
    home.wyard(&["adopt", root.to_str().unwrap()]).ends(0);
    let told = home.wyard(&["check", "neap"]).ends(0);
    assert!(!told.out.contains("writable-by-others"), "{}", told.out);
    fs::set_permissions(&root, fs::Permissions::from_mode(0o777)).unwrap();
    home.wyard(&["check", "neap"]).says("[writable-by-others]");
    home.wyard(&["survey"]).says("[writable-by-others]");
    home.wyard(&["retire", "neap"]).ends(0);
    home.wyard(&["adopt", root.to_str().unwrap()]).says("[writable-by-others]");
}

#[test]
fn nothing_is_unpacked_where_another_user_could_change_it() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    fs::create_dir_all(home.path("shared/below")).unwrap();
    let into = home.path("shared/below/new");
    let unpack = ["unpack", &archive, "--into", into.to_str().unwrap()];
    for (mode, code) in [(0o777, 4), (0o1777, 0), (0o755, 0)] {
        fs::set_permissions(home.path("shared"), fs::Permissions::from_mode(mode)).unwrap();
        home.wyard(&unpack).ends(code);
        assert_eq!(fs::remove_dir_all(&into).is_ok(), code == 0, "{mode:o}");
    }
    fs::set_permissions(home.path("shared"), fs::Permissions::from_mode(0o777)).unwrap();
    home.wyard(&unpack).ends(4).says("shared is owned or writable by another user").says("--trust-folder");
    home.wyard(&[&unpack[..], &["--trust-folder"]].concat()).ends(0);
}

#[test]
fn what_is_suggested_can_be_typed_whatever_a_folder_is_called() {
    let home = Home::with(&["bash", "sh"]);
    for name in ["t$(touch pwn)", "it's `touch pwn`!", "neap; touch pwn"] {
        home.write(&format!("{name}/neap-2.1/bin/neap"), script("2.1"));
        let bin = home.path(name).join("neap-2.1/bin");
        fs::set_permissions(bin.join("neap"), fs::Permissions::from_mode(0o755)).unwrap();
        home.wyard(&["path", "add", bin.to_str().unwrap()]).ends(0);
        let found = home.wyard(&["adopt", "--search"]).ends(0);
        let line = found.out.lines().find_map(|line| line.trim().strip_prefix("wyard adopt ")).unwrap().to_owned();
        let typed =
            Command::new("sh").args(["-c", &format!("printf %s {line}")]).current_dir(home.path("")).output().unwrap();
        assert_eq!(String::from_utf8_lossy(&typed.stdout), bin.parent().unwrap().to_string_lossy());
        fs::remove_dir_all(&bin).unwrap();
        let told = home.wyard(&["survey", "--json"]).json();
        let findings = told["scopes"].as_array().unwrap().iter().flat_map(|scope| scope["entries"].as_array().unwrap());
        let mut findings = findings.flat_map(|entry| entry["findings"].as_array().unwrap());
        let remedy = findings.find_map(|finding| finding["remedy"].as_str()?.strip_prefix("run 'wyard path drop "));
        let line = remedy.unwrap().strip_suffix("', or restore the folder").unwrap();
        let typed = format!("printf %s {line}");
        let typed = Command::new("sh").args(["-c", &typed]).current_dir(home.path("")).output().unwrap();
        assert_eq!(String::from_utf8_lossy(&typed.stdout), bin.to_string_lossy(), "{told}");
        home.wyard(&["path", "drop", bin.to_str().unwrap()]).ends(0);
    }
    assert!(!home.path("pwn").exists());
}

#[test]
fn nothing_from_outside_reaches_the_terminal_raw() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let odd = "a\u{1b}[31m\u{202e}\u{200b}\u{e0041}b";
    let raw = ['\u{1b}', '\u{202e}', '\u{200b}', '\u{e0041}'];
    home.write(&format!("home/{odd}"), "no archive");
    let file = home.path("home").join(odd);
    let file = file.to_str().unwrap();
    for call in
        [&["inspect", file][..], &["trace", odd], &["survey", odd], &["--scope", odd, "stock"], &["check", odd, "-vv"]]
    {
        let Ran { out, err, .. } = home.wyard(call);
        let said = format!("{out}{err}");
        assert!(!said.contains(raw) && said.contains("\\u{202e}\\u{200b}\\u{e0041}b"), "{call:?}: {said:?}");
    }
}
