//! What other programs of Windows have to do with a command: files of commands, registered programs, marks of downloads.

use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};

use wagon_yard_core::os;
use wagon_yard_core::scope::Scope;

use crate::archives::{tidelog, zip};
use crate::home::Home;
use crate::on_windows::reg_add;

fn quoted(path: &Path) -> String {
    format!("\"{}\"", path.display())
}

/// What `cmd /u` prints for the lines of a file.
fn said_by_cmd(home: &Home, lines: &str) -> String {
    let file = home.write("steps.cmd", format!("@echo off\r\n{lines}\r\n"));
    let mut command = Command::new("cmd");
    command.args(["/u", "/c"]).arg(file).current_dir(home.path(""));
    let out = command.stdin(Stdio::null()).output().unwrap().stdout;
    let units: Vec<u16> = out.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
    String::from_utf16_lossy(&units)
}

#[test]
fn the_lines_for_cmd_survive_a_file() {
    let home = Home::new();
    let folders = "C:\\100%x%y;C:\\Größe & mehr";
    reg_add(&home, Scope::User, "Path", "REG_SZ", folders);
    let program = quoted(Path::new(env!("CARGO_BIN_EXE_wyard")));
    let sandbox = home.path("").display().to_string().trim_end_matches(std::path::is_separator).to_owned();
    said_by_cmd(&home, &format!("{program} --sandbox {sandbox} catch-up cmd >lines.cmd 2>said"));
    let lines = fs::read(home.path("lines.cmd")).unwrap();
    assert!(
        String::from_utf8_lossy(&lines).contains("C:\\100%%x%%y"),
        "{}",
        fs::read_to_string(home.path("said")).unwrap()
    );
    let seen = said_by_cmd(&home, "call lines.cmd\r\nset Path");
    assert!(seen.contains(folders), "{seen}");
    // More than a line of cmd can hold.
    reg_add(&home, Scope::User, "Path", "REG_SZ", &"C:\\x;".repeat(1700));
    home.wyard(&["catch-up", "cmd"]).ends(4).says("cmd reads at most 8191").says("open a new one");
}

#[test]
fn a_program_registered_for_its_name_is_found_by_run_alone() {
    const KEY: &str = r"HKCU\Software\Microsoft\Windows\CurrentVersion\App Paths\tidegauge.exe";
    let home = Home::new();
    let program = home.write("apps/tidegauge.exe", "MZ");
    let reg = |arguments: &[&str]| {
        let mut command = Command::new("reg");
        assert!(command.args(arguments).stdout(Stdio::null()).status().unwrap().success(), "{arguments:?}");
    };
    reg(&["add", KEY, "/ve", "/d", &quoted(&program), "/f"]);
    let traced = home.wyard(&["trace", "tidegauge", "--json"]).ends(0).json();
    reg(&["delete", KEY, "/f"]);
    let callers = traced["commands"][0]["callers"].as_array().unwrap();
    for caller in callers {
        let expected = if caller["caller"] == "run" { "file" } else { "none" };
        assert_eq!(caller["kind"], expected, "{caller}");
    }
    assert!(callers.iter().any(|caller| caller["winner"] == program.to_str().unwrap()), "{callers:?}");
}

#[test]
fn path_add_refuses_what_the_registry_would_read_otherwise() {
    let home = Home::new();
    let odd = home.path("100%SystemRoot%");
    fs::create_dir(&odd).unwrap();
    home.wyard(&["path", "add", odd.to_str().unwrap()]).ends(2).says("reference to a variable");
    assert!(home.registry(Scope::User).is_empty());
    let plain = home.path("100%");
    fs::create_dir(&plain).unwrap();
    home.wyard(&["path", "add", plain.to_str().unwrap()]).ends(0);
    // The same folder, spelled otherwise, already exists.
    let other = format!("{}/", plain.to_str().unwrap().to_uppercase().replace('\\', "/"));
    home.wyard(&["path", "add", &other]).ends(0).says("nothing to do");
}

#[test]
fn a_yard_is_the_same_however_it_is_spelled() {
    let home = Home::new();
    let yard = home.path("Tide Yard");
    let archive = tidelog(&home, "4.2.1");
    home.wyard(&["--yard", yard.to_str().unwrap(), "receive", &archive]).ends(0);
    let other = yard.to_str().unwrap().to_lowercase().replace('\\', "/");
    home.wyard(&["--yard", &other, "check", "tidelog"]).ends(0);
    home.wyard(&["--yard", &other, "unregister", "tidelog"]).ends(0);
    assert!(home.registry(Scope::User).is_empty(), "entry and variable go");
}

#[test]
fn a_mark_is_passed_on_unless_the_download_is_known() {
    let home = Home::new();
    let archive =
        zip(&home.path("gauge-1.0.zip"), &[("gauge.cmd", "@echo gauge 1.0\r\n", 0o755), ("README", "x", 0o644)]);
    let mark = b"[ZoneTransfer]\r\nZoneId=3\r\nHostUrl=https://downloads.brackwater.example/gauge-1.0.zip?key=1\r\n";
    if os::write_download_mark(&archive, mark).is_err() || os::read_download_mark(&archive).is_none() {
        assert!(os::is_wine(), "a disk of Windows keeps marks");
        eprintln!("skipped: Wine keeps no marks");
        return;
    }
    let file = archive.to_str().unwrap();
    home.wyard(&["inspect", file]).says("the internet, host downloads.brackwater.example");
    let placed = home.yard().join("stock").join("gauge").join("1.0");
    for (options, passed_on) in [(&[][..], true), (&["--trusted"], false)] {
        home.wyard(&[&["receive", "--replace", file][..], options].concat()).ends(0).says("download-mark");
        let marked = |name: &str| os::read_download_mark(&placed.join(name)).is_some();
        assert_eq!((marked("gauge.cmd"), marked("README")), (passed_on, false));
    }
}

#[test]
fn no_move_is_advised_across_the_two_values_of_path() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    let older = home.write("older/tidelog.cmd", "@echo tidelog 3.9\r\n");
    let folder = older.parent().unwrap().display().to_string();
    reg_add(&home, Scope::System, "Path", "REG_SZ", &folder);
    let told = home.wyard(&["receive", &archive]).ends(1).says("the system's PATH comes before yours");
    assert!(told.out.contains("path drop") && !told.out.contains("path move"), "{}", told.out);
    let traced = home.wyard(&["trace", "tidelog"]).ends(0).says("the system's PATH comes before yours");
    assert!(!traced.out.contains("path move"), "{}", traced.out);
}
