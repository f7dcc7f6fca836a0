//! The program in Wine, called from outside, with a terminal from outside as the judge.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use wagon_yard_core::os::RawValue;
use wagon_yard_core::registry::RegistryKey;

pub struct Lane {
    wine: PathBuf,
    pub wyard: String,
    pub keys: String,
    pub tool: String,
    pub folder: tempfile::TempDir,
}

impl Lane {
    pub fn new() -> Self {
        let set = |name: &str| PathBuf::from(std::env::var_os(name).expect("scripts/windows-lane sets it"));
        let inside = |name: &str| as_seen_inside(&fs::canonicalize(set(name)).unwrap());
        Self {
            wine: set("WYARD_TEST_WINE"),
            wyard: inside("WYARD_TEST_WYARD"),
            keys: inside("WYARD_TEST_KEYS"),
            tool: inside("WYARD_TEST_TOOL"),
            folder: tempfile::tempdir().unwrap(),
        }
    }

    /// A call of `cmd`, with nothing of this environment but what Wine itself needs; what it prints.
    pub fn cmd(&self, line: &str) -> String {
        let mut command = Command::new(&self.wine);
        command.args([r"C:\windows\system32\cmd.exe", "/c", line]).env_clear().env("PATH", "/usr/bin:/bin");
        for name in ["WINEPREFIX", "WINEDEBUG", "HOME"] {
            command.envs(std::env::var_os(name).map(|value| (name, value)));
        }
        // Into a file: the services that Wine starts on the way would hold a pipe open.
        let file = tempfile::NamedTempFile::new().unwrap();
        command.stdin(Stdio::null()).stdout(file.reopen().unwrap()).stderr(Stdio::null()).status().unwrap();
        String::from_utf8_lossy(&fs::read(file.path()).unwrap()).into_owned()
    }

    pub fn run(&self, lines: &[String]) {
        let file = self.folder.path().join("steps.cmd");
        fs::write(&file, format!("@echo off\r\ncd /d {}\r\n{}\r\n", self.here(), lines.join("\r\n"))).unwrap();
        self.cmd(&as_seen_inside(&file));
    }

    fn here(&self) -> String {
        as_seen_inside(self.folder.path())
    }

    pub fn said(&self, name: &str) -> String {
        String::from_utf8_lossy(&fs::read(self.folder.path().join(name)).unwrap_or_default())
            .replace('\r', "")
            .trim()
            .to_owned()
    }
}

/// Both keys as they are dumped.
pub fn dumped(system: &RegistryKey, user: &RegistryKey) -> String {
    let line = |mark: char, raw: &RawValue| {
        let name: String = raw.name.encode_utf16().map(|unit| format!("{unit:04x}")).collect();
        let bytes: String = raw.bytes.iter().map(|byte| format!("{byte:02x}")).collect();
        format!("{mark} {name} {} {bytes}", raw.kind)
    };
    let sorted = |key: &RegistryKey| {
        let mut values = key.0.clone();
        values.sort_by_key(|raw| raw.name.to_uppercase());
        values
    };
    let lines = [('S', system), ('U', user)];
    let lines = lines.iter().flat_map(|(mark, key)| sorted(key).into_iter().map(|raw| line(*mark, &raw)));
    lines.collect::<Vec<_>>().join("\n")
}

/// A path of this system as programs inside see it.
fn as_seen_inside(path: &Path) -> String {
    format!("Z:{}", path.display().to_string().replace('/', "\\"))
}
