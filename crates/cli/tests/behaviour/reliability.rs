//! Nothing is lost: others at work at the same time, records that are damaged, and all the way back again.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Duration;

use wagon_yard_core::os;
use wagon_yard_core::scope::Scope;

use crate::archives::tidelog;
use crate::home::{Home, Ran, WINDOWS};

/// What counts of a machine: every file of the home, cards, stock and generated files, and the registry's values. Times,
/// and how commands answered, are left out.
pub fn state(home: &Home) -> BTreeMap<String, Vec<u8>> {
    let mut state = BTreeMap::new();
    let mut add = |root: &Path, path: &Path, bytes: Vec<u8>| {
        state.insert(path.strip_prefix(root).unwrap().to_string_lossy().into_owned(), without_times(&bytes));
    };
    for (path, bytes) in home.files() {
        add(&home.path(""), &path, bytes);
    }
    for part in ["cards", "stock", "terminal", "path.toml"] {
        for (path, bytes) in files_in(&home.yard().join(part)) {
            add(&home.path(""), &path, bytes);
        }
    }
    for scope in Scope::ALL {
        for value in home.registry(scope) {
            let name = format!("{} {} {}", scope.as_str(), value.name, value.kind);
            state.insert(name, value.bytes);
        }
    }
    state
}

fn files_in(path: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    if path.is_file() {
        return vec![(path.to_owned(), fs::read(path).unwrap())];
    }
    let entries = fs::read_dir(path).into_iter().flatten().flatten();
    entries.flat_map(|entry| files_in(&entry.path())).collect()
}

fn without_times(bytes: &[u8]) -> Vec<u8> {
    let text = String::from_utf8_lossy(bytes);
    let mut lines: Vec<&str> = Vec::new();
    let mut answers = false;
    for line in text.split_inclusive('\n') {
        answers = line.starts_with("[answers]") || answers && !line.starts_with('[');
        if !answers && !line.starts_with("received = ") && !line.starts_with("since = ") {
            lines.push(line);
        }
    }
    lines.concat().into_bytes()
}

#[test]
fn undoing_everything_brings_every_byte_back() {
    let rounds = if WINDOWS { 1 } else { 6 };
    for seed in 0..rounds {
        let home = Home::new();
        if !WINDOWS {
            home.write("home/.bashrc", "# mine\r\nalias ll='ls -l'");
            home.write("home/.profile", b"PATH=$HOME/first:$HOME/second:$PATH # \xff\xfe\n");
        }
        for folder in ["first", "second"] {
            home.write(&format!("home/{folder}/{folder}"), "x");
        }
        let archives = ["4.0.0", "4.1.0", "4.2.1"].map(|version| tidelog(&home, version));
        let (first, second) = (home.path("home/first"), home.path("home/second"));
        let (first, second) = (first.to_str().unwrap(), second.to_str().unwrap());
        let start = state(&home);
        let commands: [&[&str]; 14] = [
            &["receive", &archives[0]],
            &["receive", &archives[1]],
            &["receive", &archives[2], "--stay"],
            &["receive", &archives[1], "--replace"],
            &["register", "tidelog@4.0.0"],
            &["unregister", "tidelog"],
            &["switch", "tidelog", "4.1.0"],
            &["path", "add", first],
            &["path", "add", second, "--last"],
            &["path", "move", second, "--before", first],
            &["path", "drop", first],
            &["retire", "tidelog@4.1.0"],
            &["trial", "add", "tidelog", "--title", "t", "--run", "tidelog"],
            &["undo"],
        ];
        let mut random = fastrand::Rng::with_seed(seed);
        let mut made: Vec<&[&str]> = Vec::new();
        for _ in 0..10 {
            let command = commands[random.usize(..commands.len())];
            // What makes no sense now is refused; that changes nothing either.
            if matches!(home.wyard(command).code, 0 | 1) {
                made.push(command);
            }
        }
        let mut left = 0;
        while home.wyard(&["undo"]).code == 0 {
            left += 1;
            assert!(left < 40, "{made:?}");
        }
        let last = home.wyard(&["undo"]);
        let history = home.wyard(&["history"]).out;
        assert!(last.err.contains("no changes to undo"), "{made:#?}\n{}\n{history}", last.err);
        let end = state(&home);
        assert!(end == start, "seed {seed}: {made:#?}\n{:#?}\n{:#?}", lossy(&start), lossy(&end));
    }
}

pub fn lossy(state: &BTreeMap<String, Vec<u8>>) -> BTreeMap<&String, String> {
    state.iter().map(|(name, bytes)| (name, String::from_utf8_lossy(bytes).into_owned())).collect()
}

#[test]
#[cfg_attr(windows, ignore = "it is startup files that others edit")]
fn what_others_have_written_since_stays() {
    let home = Home::new();
    home.write("home/.bashrc", "# mine\n");
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let with_ours = fs::read_to_string(home.path("home/.bashrc")).unwrap();
    home.write("home/.bashrc", format!("# before\n{with_ours}# behind\n"));
    home.wyard(&["undo"]).ends(0);
    assert_eq!(fs::read_to_string(home.path("home/.bashrc")).unwrap(), "# before\n# mine\n# behind\n");
    let kept = files_in(&home.yard().join("startup-before"));
    assert!(kept.iter().any(|(file, bytes)| file.to_string_lossy().ends_with("!.bashrc") && bytes == b"# mine\n"));
    // Undo can itself be undone, as often as anybody likes.
    home.wyard(&["undo", "2"]).ends(0).says("undid change 2");
    home.wyard(&["check"]).ends(0);
    home.wyard(&["undo", "2"]).ends(2).says("is already undone");
    home.wyard(&["undo", "7"]).ends(2).says("no change 7");
    // What later changes build on is not pulled from under them.
    home.wyard(&["unregister", "tidelog"]).ends(0);
    home.wyard(&["undo", "1"]).ends(4).says("has changed since; nothing was changed").says("undo change 4 first");
    home.wyard(&["undo", "1", "--dry-run"]).ends(4);
}

#[test]
#[cfg_attr(windows, ignore = "it is startup files that others edit")]
fn a_startup_file_edited_at_the_worst_moment_keeps_the_edit() {
    for step in 1.. {
        let home = Home::new();
        home.write("home/.bashrc", "# mine\n");
        let fault = format!("edit:{step}:{}", home.path("home/.bashrc").display());
        let mut command = home.command(&["receive", &tidelog(&home, "4.2.1")]);
        Ran::from(command.env("WYARD_FAULT", &fault).output().unwrap()).ends(0);
        let text = fs::read_to_string(home.path("home/.bashrc")).unwrap();
        if !text.contains("edited") {
            assert!(step > 10, "it came to an end after {step} steps");
            break;
        }
        assert!(text.starts_with("# edited meanwhile\n# mine\n"), "{step}: {text}");
        home.wyard(&["check"]).ends(0);
        home.wyard(&["undo"]).ends(0);
        assert_eq!(fs::read_to_string(home.path("home/.bashrc")).unwrap(), "# edited meanwhile\n# mine\n", "{step}");
    }
}

#[test]
#[cfg_attr(windows, ignore = "a small disk is mounted as Unix does it")]
fn a_full_disk_changes_nothing() {
    let mut home = Home::new();
    let disk = home.path("disk");
    fs::create_dir(&disk).unwrap();
    let mounted = Command::new("mount").args(["-t", "tmpfs", "-o", "size=128k", "none"]).arg(&disk).status();
    if !mounted.is_ok_and(|status| status.success()) {
        assert!(std::env::var_os("CI").is_none() || !os::is_superuser(), "CI may skip nothing");
        eprintln!("skipped: no disk can be mounted");
        return;
    }
    home.variables.insert("WYARD_YARD".to_owned(), disk.join("yard").to_str().unwrap().to_owned());
    home.settings("shells = [\"bash\"]\n");
    home.write("home/.bashrc", "# mine\n");
    let first = home.wyard(&["receive", &tidelog(&home, "4.2.1")]);
    // Filled but for a few bytes: what is to be done can't be written down.
    let fill = |bytes: usize| fs::write(disk.join("fill"), vec![b'x'; bytes]);
    let room = (0..200).rev().find(|pages| fill(pages * 4096).is_ok());
    let full = home.wyard(&["unregister", "tidelog"]);
    let bashrc = fs::read_to_string(home.path("home/.bashrc")).unwrap();
    fs::remove_file(disk.join("fill")).unwrap();
    let again = home.wyard(&["unregister", "tidelog"]);
    let taken = fs::read_to_string(home.path("home/.bashrc")).unwrap();
    let unmounted = Command::new("umount").arg(&disk).status().unwrap();
    assert!(unmounted.success() && room.is_some());
    first.ends(0);
    full.ends(4).says("No space left");
    assert!(bashrc.contains("Wagon Yard"), "nothing was taken out of it");
    again.ends(0);
    assert_eq!(taken, "# mine\n");
}

#[test]
fn sixteen_at_once_lose_nothing() {
    let home = Home::new();
    let many = if WINDOWS { 4 } else { 16 };
    let archives: Vec<String> = (0..many).map(|number| tidelog(&home, &format!("{number}.0"))).collect();
    let running: Vec<_> = archives
        .iter()
        .map(|archive| {
            let mut command = home.command(&["receive", archive, "--quiet"]);
            command.stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap()
        })
        .collect();
    for one in running {
        let ran = one.wait_with_output().unwrap();
        let err = String::from_utf8_lossy(&ran.stderr).into_owned();
        // Which version the others put in service meanwhile decides between good and shadowed; whoever waits for too
        // long is told for whom.
        assert!(matches!(ran.status.code(), Some(0 | 1)) || err.contains("is changing the yard"), "{err}");
    }
    let history = home.wyard(&["history", "--json"]).ends(0).json();
    let changes = history["changes"].as_array().unwrap();
    assert!(
        changes.iter().all(|change| change["state"] == "done") && history["damaged_lines"] == serde_json::json!([])
    );
    let stock = home.wyard(&["stock", "--no-run", "--json"]).ends(0).json();
    let tools = stock["tools"].as_array().unwrap();
    assert_eq!(tools.len(), changes.len());
    assert_eq!(tools.iter().filter(|tool| tool["registered"] == "user").count(), 1);
    home.wyard(&["check"]).ends(0);
}

#[test]
fn who_holds_the_lock_is_told_and_readers_do_not_wait() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    home.wyard(&["receive", &archive]).ends(0);
    let file = fs::File::options().write(true).open(home.yard().join("lock")).unwrap();
    file.lock().unwrap();
    fs::write(home.yard().join("lock.holder"), "process 7: wyard receive shoal.zip").unwrap();
    for reader in [&["stock", "--no-run"][..], &["history"], &["check", "--no-run"]] {
        let start = std::time::Instant::now();
        home.wyard(reader).ends(0);
        assert!(start.elapsed() < Duration::from_secs(10), "{reader:?}");
    }
    let mut waiting =
        home.command(&["unregister", "tidelog"]).stderr(Stdio::piped()).stdout(Stdio::null()).spawn().unwrap();
    std::thread::sleep(Duration::from_secs(2));
    assert!(waiting.try_wait().unwrap().is_none(), "it waits");
    drop(file);
    let ran = waiting.wait_with_output().unwrap();
    let err = String::from_utf8_lossy(&ran.stderr).into_owned();
    assert_eq!(ran.status.code(), Some(0), "{err}");
    assert!(err.contains("another wyard (process 7: wyard receive shoal.zip) is changing the yard; waiting"), "{err}");
}

#[test]
fn records_that_are_damaged_or_of_the_future_are_told() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let ledger = home.yard().join("ledger.jsonl");
    let whole = fs::read_to_string(&ledger).unwrap();
    fs::write(&ledger, format!("{whole}{{\"format\":1,\"eve")).unwrap();
    home.wyard(&["history"]).ends(0).says("receive tidelog 4.2.1").says("unreadable lines in the ledger: 3");
    home.wyard(&["unregister", "tidelog"]).ends(0);
    assert!(!home.wyard(&["history"]).ends(0).out.contains("can't be read"));
    assert_eq!(fs::read_to_string(home.yard().join("ledger.damaged")).unwrap(), "{\"format\":1,\"eve\n");
    let mut text = fs::read_to_string(&ledger).unwrap();
    text.push_str("{\"format\":9,\"event\":\"x\"}\n");
    fs::write(&ledger, &text).unwrap();
    for command in [&["history"][..], &["register", "tidelog"], &["undo"]] {
        home.wyard(command).ends(4).says("format 9").says("use the newer wyard");
    }
    assert_eq!(fs::read_to_string(&ledger).unwrap(), text);
    // A card without its folder, and a folder without its card.
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    home.wyard(&["receive", &tidelog(&home, "4.1.0"), "--stay"]).ends(0);
    fs::remove_dir_all(home.yard().join("stock/tidelog/4.1.0")).unwrap();
    fs::create_dir_all(home.yard().join("stock/shoal/2.0")).unwrap();
    let told = home.wyard(&["survey"]).says("[card-without-folder]").says("[folder-without-card]");
    told.says("wyard stock --mend");
    home.wyard(&["stock", "--mend"]).ends(0).says("4.1.0.toml removed").says("set aside");
    home.wyard(&["stock", "--mend"]).ends(0).says("consistent");
    assert!(!home.wyard(&["survey"]).out.contains("stock --mend"));
    home.wyard(&["undo"]).ends(0);
}

#[test]
fn a_retired_tool_is_kept_and_comes_back() {
    let home = Home::new();
    home.wyard(&["retire", "tidelog"]).ends(2).says("no tool called");
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let installed = state(&home);
    home.wyard(&["retire", "tidelog", "--dry-run"]).ends(0).says("would be removed");
    assert!(state(&home) == installed);
    home.wyard(&["retire", "tidelog"]).ends(0).says("is kept for 30 days");
    home.wyard(&["check", "tidelog"]).ends(2);
    home.wyard(&["undo"]).ends(0);
    assert!(state(&home) == installed);
    home.wyard(&["check", "tidelog"]).ends(0);
    home.wyard(&["retire", "tidelog@4.2.1"]).ends(0);
    home.wyard(&["retire", "--empty", "--dry-run"]).ends(0).says("would be deleted");
    home.wyard(&["retire", "--empty"]).ends(0).says("1 retired tool deleted");
    home.wyard(&["retire", "--empty"]).ends(0).says("no retired tool");
    let retired = home.wyard(&["history", "--json"]).ends(0).json()["changes"][1]["id"].to_string();
    home.wyard(&["undo", &retired]).ends(4).says("no longer exists").says("receive the tool again");
    home.wyard(&["retire"]).ends(2);
}

#[test]
#[cfg_attr(windows, ignore = "the tool is a shell script")]
fn what_is_not_good_can_be_taken_back_at_once() {
    let home = Home::new();
    home.write("home/.bashrc", "# mine\n");
    let start = state(&home);
    let bad = crate::archives::tidelog_that(&home, "4.2.1", "#!/bin/sh\nkill -SEGV $$\n");
    home.wyard(&["receive", &bad, "--or-undo"]).ends(1).says("does-not-start").says("Everything was rolled back");
    assert!(state(&home) == start);
    home.wyard(&["receive", &bad]).ends(1).says("To undo: wyard undo 3");
    home.wyard(&["undo", "3"]).ends(0);
    home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--or-undo"]).ends(0);
    home.wyard(&["check"]).ends(0);
}

#[test]
fn a_yard_of_earlier_days_is_taken_over() {
    let home = Home::new();
    let profile = home.write("home/.profile", "# mine\n");
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let (ledger, card) = (home.yard().join("ledger.jsonl"), home.yard().join("cards/tidelog/4.2.1.toml"));
    let earlier = fs::read_to_string(&ledger).unwrap().replace("\"operations\":", "\"acts\":");
    fs::write(&ledger, earlier.replace("\"operation\":", "\"act\":")).unwrap();
    fs::write(&card, fs::read_to_string(&card).unwrap() + "\n[answers]\ntidelog = [\"--version\"]\n").unwrap();
    home.wyard(&["history"]).ends(0).says("receive tidelog 4.2.1");
    home.wyard(&["undo"]).ends(0);
    assert_eq!(fs::read_to_string(&profile).unwrap(), "# mine\n");
    assert!(!card.exists());
}
