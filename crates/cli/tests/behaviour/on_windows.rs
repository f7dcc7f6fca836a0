//! What there is on Windows only: the registry, `cmd`, batch files, names and statuses of its own.
#![cfg(windows)]

use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};

use wagon_yard_core::os;
use wagon_yard_core::scope::Scope;

use crate::archives::{script, tidelog, zip};
use crate::home::{Home, Ran};

/// `reg add` on a key of the sandbox: its own way of writing, not ours.
pub fn reg_add(home: &Home, scope: Scope, name: &str, kind: &str, data: &str) {
    let key = home.keys().of_scope(scope).to_string();
    let mut command = Command::new("reg");
    command.args(["add", &key, "/v", name, "/t", kind, "/d", data, "/f"]);
    assert!(command.stdout(Stdio::null()).status().unwrap().success(), "{name}");
}

#[test]
fn only_what_is_ours_changes_in_the_registry_and_all_of_it_goes_again() {
    for path in [
        None,
        Some(("Path", "REG_SZ", r"C:\tide tools;C:\harbour")),
        Some(("PATH", "REG_EXPAND_SZ", "%SystemRoot%\\x;\"C:\\a;b\";;C:\\harbour;")),
        Some(("path", "REG_SZ", r"%NOBODY%\x;100%")),
        Some(("Path", "REG_SZ", r"%STATION%\x;C:\harbour")),
    ] {
        let home = Home::new();
        for (name, kind, data) in [
            ("STATION", "REG_SZ", "C:\\Gezeiten übersicht"),
            ("tidelog_home", "REG_EXPAND_SZ", "%STATION%\\old"),
            ("COUNT", "REG_DWORD", "7"),
            ("BYTES", "REG_BINARY", "00ff10"),
            ("LIST", "REG_MULTI_SZ", "a\\0b"),
        ]
        .into_iter()
        .chain(path)
        {
            reg_add(&home, Scope::User, name, kind, data);
        }
        let before = home.registry(Scope::User);
        let ran = home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--json"]).ends(0);
        assert_eq!(ran.json()["verdict"], "good", "{path:?}");
        let there = home.registry(Scope::User);
        let same = |name: &str| !["path", "tidelog_home"].contains(&name.to_lowercase().as_str());
        let others = |of: &[os::RawValue]| of.iter().filter(|v| same(&v.name)).cloned().collect::<Vec<_>>();
        assert_eq!(others(&there), others(&before), "{path:?}");
        assert_eq!(home.fresh("tidelog"), "tidelog 4.2.1\n", "{path:?}");
        home.wyard(&["register", "tidelog"]).ends(0);
        assert_eq!(home.registry(Scope::User), there, "{path:?}: registering twice changes nothing");
        home.wyard(&["unregister", "tidelog"]).ends(0);
        assert_eq!(home.registry(Scope::User), before, "{path:?}: unregister brings back every byte and type");
        assert!(home.registry(Scope::System).is_empty());
    }
}

#[test]
fn the_home_variable_switches_the_version() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "3.9")]).ends(0);
    home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--json"]).ends(0);
    let old = home.yard().join("stock").join("tidelog").join("3.9");
    reg_add(&home, Scope::User, "TIDELOG_HOME", "REG_SZ", old.to_str().unwrap());
    assert_eq!(home.fresh("tidelog"), "tidelog 3.9\n", "the entry refers to the variable");
    home.wyard(&["unregister", "tidelog"]).ends(0);
    assert_eq!(home.variable("TIDELOG_HOME"), old.to_str().unwrap(), "a value that somebody changed is theirs");
    assert_eq!(home.fresh("tidelog"), "");
}

#[test]
fn what_is_for_every_user_has_a_yard_and_a_key_of_its_own() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    reg_add(&home, Scope::System, "Path", "REG_EXPAND_SZ", "%SystemRoot%;C:\\all");
    reg_add(&home, Scope::User, "PATH ", "REG_SZ", "C:\\mistaken");
    let before = (home.registry(Scope::System), home.registry(Scope::User));
    home.wyard(&["receive", &archive, "--scope", "system"]).ends(0).says("the system's PATH").says("stray-variable");
    let path = home.registry(Scope::System).into_iter().find(|value| value.name == "Path").unwrap();
    let units: Vec<u16> = path.bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
    let text = String::from_utf16(&units).unwrap();
    assert_eq!(
        text.trim_end_matches('\0'),
        r"%SystemRoot%;%TIDELOG_HOME%\bin;C:\all",
        "behind the system's own folders"
    );
    assert_eq!(home.registry(Scope::User), before.1);
    assert!(!home.yard().join("stock").exists(), "nothing lies in one user's profile");
    assert_eq!(home.fresh("tidelog"), "tidelog 4.2.1\n");
    home.wyard(&["register", "tidelog", "--scope", "user"]).ends(2).says("no tool called");
    home.wyard(&["unregister", "tidelog", "--scope", "system"]).ends(0);
    assert_eq!((home.registry(Scope::System), home.registry(Scope::User)), before);
}

#[test]
fn a_tool_is_told_for_what_it_is() {
    let mut arm = vec![0u8; 512];
    arm[..2].copy_from_slice(b"MZ");
    arm[0x3c] = 0x80;
    arm[0x80..0x86].copy_from_slice(b"PE\0\0\x64\xaa");
    arm[0x98..0x9a].copy_from_slice(&[0x0b, 0x02]);
    let cases: [(&str, &[u8], i32, &str, &str); 9] = [
        (
            "tidelog.cmd",
            b"@exit /b -1073741515\r\n",
            1,
            "does-not-start",
            "a library it needs was not found (0xC0000135)",
        ),
        ("tidelog.cmd", b"@exit /b 9009\r\n", 1, "does-not-start", "it calls a command that was not found"),
        ("tidelog.cmd", b":again\r\n@goto again\r\n", 1, "not-proven", "was still running after 1 s"),
        ("tidelog.bat", b"@echo tidelog 3.9\r\n", 1, "wrong-version", "states 3.9, expected 4.2.1"),
        ("tidelog.cmd", b"@echo usage: tidelog FILE 1>&2\r\n@exit /b 2\r\n", 0, "good", "prints no version"),
        (
            "tidelog.cmd",
            b"@echo ERROR: DRIFT_HOME is not set 1>&2\r\n@exit /b 1\r\n",
            1,
            "started-with-error",
            "--requires-variable DRIFT_HOME",
        ),
        ("tidelog.CMD", b"@echo ready\r\n", 0, "good", "prints no version"),
        ("tidelog.exe", &arm, 1, "does-not-start", "is a program for windows"),
        ("tidelog.exe", b"MZ", 3, "no commands", "no commands"),
    ];
    for (file, content, code, verdict, says) in cases {
        let home = Home::new();
        home.settings("shells = [\"cmd\"]\nprobe_seconds = 1\n");
        let mut tar = tar::Builder::new(Vec::new());
        let mut header = tar::Header::new_gnu();
        header.set_size(content.len() as u64);
        header.set_mode(0o644);
        tar.append_data(&mut header, format!("tidelog-4.2.1/bin/{file}"), content).unwrap();
        let archive = home.write("tidelog-4.2.1.tar", tar.into_inner().unwrap());
        home.wyard(&["receive", archive.to_str().unwrap(), "--foreign"]).ends(code).says(says).says(verdict);
    }
}

#[test]
fn names_that_windows_reads_otherwise_are_refused_with_the_reason() {
    for (name, says) in [
        ("w/nul.txt", "a Windows device name"),
        ("w/doc/COM1", "a Windows device name"),
        ("w/end.", "which Windows removes"),
        ("w/end /x", "which Windows removes"),
        ("w/t.exe:stream", "does not allow"),
        ("w/BIN/x", "differ only in case"),
        ("w\\..\\..\\x", "leads outside"),
    ] {
        let home = Home::new();
        let files = [("w/bin/t.cmd", &*script("1.0"), 0o755), (name, "x", 0o644)];
        let archive = zip(&home.path("t-1.0.zip"), &files);
        home.wyard(&["receive", archive.to_str().unwrap()]).ends(3).says(says);
        assert!(!home.yard().join("stock").exists(), "{name}");
    }
}

#[test]
fn long_paths_are_unpacked_whole() {
    let home = Home::new();
    let deep = format!("w/{}read.me", "a-folder-with-a-rather-long-name/".repeat(12));
    assert!(deep.len() > 300);
    let files = [("w/bin/t.cmd", &*script("1.0"), 0o755), (&*deep, "tide", 0o644)];
    let archive = zip(&home.path("t-1.0.zip"), &files);
    home.wyard(&["receive", archive.to_str().unwrap()]).ends(0);
    let file =
        home.yard().join("stock").join("t").join("1.0").join(deep.strip_prefix("w/").unwrap().replace('/', "\\"));
    assert_eq!(fs::read_to_string(file).unwrap(), "tide");
    home.wyard(&["receive", archive.to_str().unwrap(), "--replace"]).ends(0);
}

#[test]
fn yards_with_awkward_names_work() {
    for name in
        ["a b", "it's", "d$HOME", "a & b", "(x)", "c^d", "e!f!", "100%", "p%NOBODY%", "ümläut 潮", "-x", "#h", "a=b,c"]
    {
        let home = Home::new();
        let yard = home.path(&format!("{name}\\yard"));
        let yard = yard.to_str().unwrap();
        fs::create_dir_all(yard).unwrap();
        fs::write(format!("{yard}\\settings.toml"), "shells = [\"cmd\"]\n").unwrap();
        let report = home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--yard", yard, "--json"]).ends(0).json();
        assert_eq!(report["verdict"], "good", "{name}");
        assert_eq!(home.fresh("tidelog"), "tidelog 4.2.1\n", "{name}");
        home.wyard(&["unregister", "tidelog", "--yard", yard]).ends(0);
        assert!(home.registry(Scope::User).is_empty(), "{name}");
    }
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--yard", "a;b"]).ends(2).says("separates PATH entries");
    let expanded = home.path("x%SystemRoot%y");
    home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--no-home-variable", "--yard", expanded.to_str().unwrap()])
        .ends(2)
        .says("that would be expanded");
}

#[test]
fn output_is_utf_8_in_any_code_page() {
    let home = Home::new();
    for page in ["437", "1252", "65001"] {
        let file = home.path("out");
        let line = format!("@chcp {page} >nul\r\n@\"{}\" stock >out\r\n", env!("CARGO_BIN_EXE_wyard"));
        let batch = home.write("say.cmd", line);
        let mut command = Command::new("cmd");
        // The name comes by way of a variable: a batch file is read in a code page of its own.
        command.arg("/c").arg(batch).current_dir(home.path("")).env("WYARD_YARD", home.path("ümläut 潮"));
        assert!(command.status().unwrap().success());
        assert!(String::from_utf8(fs::read(file).unwrap()).unwrap().contains("ümläut 潮"), "{page}");
    }
}

#[test]
fn cmd_answers_to_its_own_commands_first() {
    let home = Home::new();
    let files = [("k-1.0/bin/dir.cmd", &*script("1.0"), 0o755), ("k-1.0/bin/ebb.cmd", &script("1.0"), 0o755)];
    let archive = zip(&home.path("k-1.0.zip"), &files);
    home.wyard(&["receive", archive.to_str().unwrap()]).ends(1).says("hidden-by-shell").says("a shell builtin");
    let trace = home.wyard(&["trace", "dir", "--as", "cmd", "--json"]).json();
    assert_eq!(trace["commands"][0]["callers"][0]["kind"], "builtin");
    assert_eq!(home.fresh("ebb"), "ebb 1.0\n");
}

/// Hands on an access list, made from the security descriptor definition language.
#[allow(unsafe_code)]
fn with_rights(rights: &str, give: impl FnOnce(windows_sys::Win32::Security::PSECURITY_DESCRIPTOR)) {
    use windows_sys::Win32::Foundation::LocalFree;
    use windows_sys::Win32::Security::Authorization::{
        ConvertStringSecurityDescriptorToSecurityDescriptorW, SDDL_REVISION_1,
    };
    let rights = wide(rights);
    let mut descriptor = std::ptr::null_mut();
    // SAFETY: the text ends in a zero and outlives the call; what is made here is freed.
    unsafe {
        let made = ConvertStringSecurityDescriptorToSecurityDescriptorW(
            rights.as_ptr(),
            SDDL_REVISION_1,
            &raw mut descriptor,
            std::ptr::null_mut(),
        );
        assert_ne!(made, 0);
        give(descriptor);
        LocalFree(descriptor);
    }
}

fn wide(text: &str) -> Vec<u16> {
    text.encode_utf16().chain([0]).collect()
}

/// Gives a key of the current user an access list.
#[allow(unsafe_code)]
fn set_rights(key: &str, rights: &str) {
    use windows_sys::Win32::Security::DACL_SECURITY_INFORMATION;
    use windows_sys::Win32::System::Registry::{HKEY_CURRENT_USER, RegCloseKey, RegOpenKeyExW, RegSetKeySecurity};
    const WRITE_DAC: u32 = 0x0004_0000;
    let key = wide(key);
    with_rights(rights, |descriptor| {
        let mut handle = std::ptr::null_mut();
        // SAFETY: the text ends in a zero and outlives the call; what is opened here is closed.
        unsafe {
            assert_eq!(RegOpenKeyExW(HKEY_CURRENT_USER, key.as_ptr(), 0, WRITE_DAC, &raw mut handle), 0);
            assert_eq!(RegSetKeySecurity(handle, DACL_SECURITY_INFORMATION, descriptor), 0);
            RegCloseKey(handle);
        }
    });
}

#[test]
fn an_unwritable_key_is_seen_before_anything_is_written() {
    let home = Home::new();
    reg_add(&home, Scope::System, "Path", "REG_SZ", "C:\\all");
    let key = home.keys().of_scope(Scope::System).key;
    let before = home.registry(Scope::System);
    let archive = tidelog(&home, "4.2.1");
    // Everybody may read it, and nobody write.
    set_rights(&key, "D:(A;;KR;;;WD)(A;;WDWO;;;WD)");
    let relative = Path::new(&archive).file_name().unwrap().to_str().unwrap().to_owned();
    let ran: Ran = home.wyard(&["receive", &relative, "--scope", "system"]).ends(4);
    ran.says("elevated terminal").says(&archive).says("--scope system");
    assert!(!home.yard().join("stock").exists() && !home.yard().join("staging").exists());
    set_rights(&key, "D:(A;;KA;;;WD)");
    assert_eq!(home.registry(Scope::System), before);
}

#[test]
#[allow(unsafe_code)]
fn a_folder_that_everybody_may_write_to_is_told() {
    use windows_sys::Win32::Security::{DACL_SECURITY_INFORMATION, SetFileSecurityW};
    let home = Home::new();
    for (name, rights, told) in
        [("own", "D:(A;;FA;;;OW)(A;;0x1200a9;;;WD)", false), ("all", "D:(A;;FA;;;OW)(A;;FA;;;WD)", true)]
    {
        let file = home.write(&format!("{name}/tide.cmd"), script("1.0"));
        let folder = file.parent().unwrap();
        let path = wide(folder.to_str().unwrap());
        // SAFETY: the text ends in a zero and outlives the call.
        let set = |descriptor| unsafe { SetFileSecurityW(path.as_ptr(), DACL_SECURITY_INFORMATION, descriptor) };
        with_rights(rights, |descriptor| assert_ne!(set(descriptor), 0));
        let mut command = home.command(&["survey", "--terminal", "this", "--json"]);
        let report = Ran::from(command.env("PATH", folder).output().unwrap()).json();
        assert_eq!(report.to_string().contains("writable-by-others"), told, "{name}: {report}");
    }
}

#[test]
fn a_trace_names_the_value_that_put_an_entry_there() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let report = home.wyard(&["trace", "tidelog", "--as", "cmd", "--terminal", "new", "--json"]).ends(0).json();
    let candidate = &report["commands"][0]["callers"][0]["candidates"][0];
    let place = format!("{}, Path", home.keys().of_scope(Scope::User));
    assert_eq!(
        (&candidate["origin"]["place"], &candidate["origin"]["found"]),
        (&place.as_str().into(), &"user-registry".into())
    );
    assert_eq!(candidate["leads_to"], serde_json::Value::Null, "it is no link");
}

#[test]
fn what_the_user_had_in_the_registry_stays() {
    let home = Home::new();
    let (tool, bin) = (home.path("gorse-2.2"), home.path("gorse-2.2\\bin"));
    home.write("gorse-2.2/bin/gorse.cmd", "@echo gorse 2.2\r\n");
    for (path, variable) in [
        (format!("C:\\x;{};C:\\y", bin.display()), Some(tool.to_str().unwrap())),
        (format!("{};C:\\y", bin.display()), None),
        (format!("C:\\x;%GORSE_HOME%\\bin;{}", bin.display()), Some(tool.to_str().unwrap())),
    ] {
        reg_add(&home, Scope::User, "Path", "REG_EXPAND_SZ", &path);
        if let Some(variable) = variable {
            reg_add(&home, Scope::User, "GORSE_HOME", "REG_SZ", variable);
        }
        let before = home.registry(Scope::User);
        home.wyard(&["adopt", tool.to_str().unwrap(), "--home-variable", "GORSE_HOME"]);
        home.wyard(&["register", "gorse"]).ends(0);
        home.wyard(&["register", "gorse"]).ends(0);
        home.wyard(&["unregister", "gorse"]).ends(0);
        assert_eq!(home.registry(Scope::User), before, "{path}");
        home.wyard(&["register", "gorse"]).ends(0);
        home.wyard(&["retire", "gorse"]).ends(0);
        assert_eq!(home.registry(Scope::User), before, "{path}: retired");
    }
}

#[test]
fn where_cmd_and_its_rules_disagree_nothing_is_good() {
    let home = Home::new();
    let other = home.path("b dir");
    home.write("b dir/tidelog.cmd", "@echo tidelog 3.9\r\n");
    reg_add(&home, Scope::System, "Path", "REG_EXPAND_SZ", &format!("%SystemRoot%\\system32;\"{}\"", other.display()));
    let ran = home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--json"]);
    let runs = home.fresh("tidelog");
    assert_eq!(ran.json()["verdict"] == "good", runs == "tidelog 4.2.1\n", "{runs}");
}

#[test]
fn a_file_that_is_held_open_keeps_nobody_from_writing() {
    use std::os::windows::fs::OpenOptionsExt as _;
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "3.9")]).ends(0);
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let hold = |file: &Path| fs::OpenOptions::new().read(true).share_mode(0).open(file).unwrap();
    let left = home.yard().join("staging\\left");
    fs::write(&left, "x").unwrap();
    let held = hold(&left);
    home.wyard(&["register", "tidelog"]).ends(0).says("the next run will retry");
    drop(held);
    home.wyard(&["register", "tidelog"]).ends(0);
    assert!(!left.exists());
    home.wyard(&["retire", "tidelog@3.9"]).ends(0);
    let retired = fs::read_dir(home.yard().join("retired")).unwrap().next().unwrap().unwrap().path();
    let program = fs::read_dir(retired.join("bin")).unwrap().next().unwrap().unwrap().path();
    let held = hold(&program);
    home.wyard(&["retire", "--empty"]).ends(0);
    home.wyard(&["register", "tidelog"]).ends(0);
    drop(held);
    home.wyard(&["retire", "--empty"]).ends(0);
    home.wyard(&["register", "tidelog"]).ends(0);
    assert!(!retired.exists() && fs::read_dir(home.yard().join("staging")).unwrap().next().is_none());
}

#[test]
fn who_looks_at_a_new_file_for_a_moment_is_waited_for() {
    use std::os::windows::fs::OpenOptionsExt as _;
    /// `FILE_SHARE_READ`: nobody may write, rename or delete meanwhile.
    const ONLY_READ: u32 = 1;
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let card = home.yard().join("cards/tidelog/4.2.1.toml");
    let held = fs::OpenOptions::new().read(true).share_mode(ONLY_READ).open(card).unwrap();
    let waits = std::thread::spawn(move || {
        std::thread::sleep(std::time::Duration::from_millis(1500));
        drop(held);
    });
    home.wyard(&["unregister", "tidelog"]).ends(0);
    waits.join().unwrap();
}

#[test]
#[allow(unsafe_code)]
fn a_value_of_a_strange_type_and_a_misleading_variable_stop_nothing() {
    use windows_sys::Win32::System::Registry::{HKEY_CURRENT_USER, RegSetKeyValueW};
    let home = Home::new();
    reg_add(&home, Scope::User, "SystemRoot", "REG_SZ", "C:\\nowhere");
    let (key, name) = (wide(&home.keys().of_scope(Scope::User).key), wide("STRANGE"));
    // SAFETY: the texts end in a zero, and the data is as long as is told.
    let done =
        unsafe { RegSetKeyValueW(HKEY_CURRENT_USER, key.as_ptr(), name.as_ptr(), 256, [1u8, 2, 3].as_ptr().cast(), 3) };
    assert_eq!(done, 0);
    let before = home.registry(Scope::User);
    home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--no-run"]);
    assert!(home.registry(Scope::User).iter().any(|value| value.name == "TIDELOG_HOME"));
    home.wyard(&["survey"]);
    home.wyard(&["unregister", "tidelog"]).ends(0);
    assert_eq!(home.registry(Scope::User), before);
}

#[test]
fn a_plain_string_is_not_expanded() {
    let home = Home::new();
    fs::create_dir(home.path("t1")).unwrap();
    reg_add(&home, Scope::User, "STATION", "REG_SZ", home.path("").to_str().unwrap().trim_end_matches('\\'));
    for (kind, exists) in [("REG_SZ", false), ("REG_EXPAND_SZ", true)] {
        reg_add(&home, Scope::User, "Path", kind, r"%STATION%\t1");
        let told = home.wyard(&["survey", "--json"]).json();
        let scopes = told["scopes"].as_array().unwrap().iter();
        let mut entries = scopes.flat_map(|scope| scope["entries"].as_array().unwrap());
        let entry = entries.find(|entry| entry["raw"] == r"%STATION%\t1").unwrap();
        assert_eq!(entry["exists"], exists, "{kind}: {told}");
    }
}

#[test]
fn the_same_command_in_two_forms_is_no_shadow() {
    let home = Home::new();
    let files = [("w/bin/pair.bat", "@echo pair 1.0\r\n", 0o644), ("w/bin/pair.cmd", "@echo pair 1.0\r\n", 0o644)];
    let archive = zip(&home.path("pair-1.0.zip"), &files);
    let told = home.wyard(&["receive", archive.to_str().unwrap()]).ends(0);
    assert!(!told.out.contains("hides-other") && !told.out.contains("shadowed"), "{}", told.out);
    // A copy elsewhere is one as before.
    home.write("b/pair.exe", fs::read(std::env::var("ComSpec").unwrap()).unwrap());
    reg_add(&home, Scope::System, "Path", "REG_SZ", home.path("b").to_str().unwrap());
    home.wyard(&["check", "pair"]).ends(1).says("shadowed");
}
