//! The environment of a new terminal, predicted from the registry, against what the system really builds from it.
#![allow(clippy::unwrap_used)]

mod states;

use states::{STATES, USUAL, key, name};
use wagon_yard_core::store::registry::{Builder, RegistryEnvironments, predict};

fn registry(state: &[&str], builder: Builder) -> RegistryEnvironments {
    RegistryEnvironments { system: key(state, 'S', builder), user: key(state, 'U', builder) }
}

/// Variables by upper-case name, sorted, for comparing.
fn sorted(variables: impl IntoIterator<Item = (String, String)>) -> Vec<(String, String)> {
    let mut sorted: Vec<_> = variables.into_iter().map(|(name, value)| (name.to_uppercase(), value)).collect();
    sorted.sort();
    sorted
}

/// Goes through all states: `set` writes one into the registry, `seen` gives the variables of a new process then.
/// Variables that `leave_out` says are not compared.
fn judge(
    builder: Builder,
    set: &dyn Fn(&RegistryEnvironments),
    seen: &dyn Fn() -> Vec<(String, String)>,
    leave_out: &dyn Fn(&[&str], &str) -> bool,
) {
    let ours: Vec<String> = USUAL.iter().chain(STATES.iter().copied().flatten()).map(|line| name(line)).collect();
    set(&registry(&[], builder));
    let given: Vec<_> = seen().into_iter().filter(|(name, _)| !ours.contains(&name.to_uppercase())).collect();
    let mut wrong = Vec::new();
    for state in STATES {
        set(&registry(state, builder));
        let predicted = sorted(predict(&given, &registry(state, builder), builder));
        let seen = sorted(seen());
        let only = |of: &[(String, String)], but: &[(String, String)]| -> Vec<_> {
            of.iter().filter(|variable| !but.contains(variable) && !leave_out(state, &variable.0)).cloned().collect()
        };
        let (predicted, seen) = (only(&predicted, &seen), only(&seen, &predicted));
        if !predicted.is_empty() || !seen.is_empty() {
            wrong.push((state, predicted, seen));
        }
    }
    set(&registry(&[], builder));
    assert!(wrong.is_empty(), "state, only predicted, only seen:\n{wrong:#?}");
}

/// Through terminals opened from outside, which is possible with Wine only.
#[cfg(unix)]
mod from_outside {
    use std::process::{Command, Stdio};

    use super::*;

    /// A call in Wine with nothing of this environment but what Wine itself needs.
    fn wine(arguments: &[&str]) -> Vec<u8> {
        let mut command = Command::new(std::env::var_os("WYARD_TEST_WINE").expect("scripts/windows-lane sets it"));
        command.args(arguments).env_clear().env("PATH", "/usr/bin:/bin");
        for name in ["WINEPREFIX", "WINEDEBUG", "HOME"] {
            command.envs(std::env::var_os(name).map(|value| (name, value)));
        }
        // Into a file: the services that Wine starts on the way would hold a pipe open.
        let file = tempfile::NamedTempFile::new().unwrap();
        let status =
            command.stdin(Stdio::null()).stdout(file.reopen().unwrap()).stderr(Stdio::null()).status().unwrap();
        assert!(status.success(), "{arguments:?}: {status}");
        std::fs::read(file.path()).unwrap()
    }

    fn set(registry: &RegistryEnvironments) {
        let mut text = "\u{feff}Windows Registry Editor Version 5.00\r\n".to_owned();
        for (path, key) in [
            (r"HKEY_LOCAL_MACHINE\SYSTEM\CurrentControlSet\Control\Session Manager\Environment", &registry.system),
            (r"HKEY_CURRENT_USER\Environment", &registry.user),
        ] {
            text.push_str(&format!("\r\n[-{path}]\r\n\r\n[{path}]\r\n"));
            for raw in &key.0 {
                let hex: Vec<String> = raw.bytes.iter().map(|byte| format!("{byte:02x}")).collect();
                text.push_str(&format!("\"{}\"=hex({}):{}\r\n", raw.name, raw.kind, hex.join(",")));
            }
        }
        let file = tempfile::Builder::new().suffix(".reg").tempfile().unwrap();
        let bytes: Vec<u8> = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
        std::fs::write(file.path(), bytes).unwrap();
        wine(&["reg", "import", file.path().to_str().unwrap()]);
    }

    fn opened() -> Vec<(String, String)> {
        let bytes = wine(&["cmd", "/u", "/c", "set"]);
        let units: Vec<u16> = bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        let text = String::from_utf16(&units).unwrap();
        let pair = |line: &str| line.split_once('=').map(|(name, value)| (name.to_owned(), value.to_owned()));
        text.split("\r\n").filter_map(pair).collect()
    }

    #[test]
    #[ignore = "needs Wine: scripts/windows-lane runs it"]
    fn a_terminal_opened_now_has_what_was_predicted() {
        judge(Builder::Wine, &set, &opened, &|_, _| false);
        println!("{} registry states", STATES.len());
    }
}

/// Through the system's own call for a fresh environment, on Windows itself and in Wine. It writes the real keys, and
/// puts back what was there; the lane asks for it, nobody else does by accident.
#[cfg(windows)]
mod from_inside {
    use wagon_yard_core::os;
    use wagon_yard_core::registry::RegistryPlaces;
    use wagon_yard_core::scope::Scope;

    use super::*;

    fn set(registry: &RegistryEnvironments) {
        for (scope, key) in [(Scope::System, &registry.system), (Scope::User, &registry.user)] {
            let place = RegistryPlaces::of(None).of_scope(scope);
            for old in os::registry_values(place.hive, &place.key).unwrap() {
                os::write_registry_value(place.hive, &place.key, &old.name, None).unwrap();
            }
            for new in &key.0 {
                os::write_registry_value(place.hive, &place.key, &new.name, Some((new.kind, &new.bytes))).unwrap();
            }
        }
    }

    fn fresh() -> Vec<(String, String)> {
        let text = |(name, value): (std::ffi::OsString, std::ffi::OsString)| {
            (name.into_string().unwrap(), value.into_string().unwrap())
        };
        os::fresh_environment().unwrap().into_iter().map(text).collect()
    }

    #[test]
    fn the_system_builds_what_was_predicted() {
        if std::env::var_os("WYARD_TEST_REAL_REGISTRY").is_none() {
            eprintln!("skipped: WYARD_TEST_REAL_REGISTRY is not set, and the real registry is left alone");
            return;
        }
        let before = RegistryEnvironments::read(&RegistryPlaces::of(None)).unwrap();
        let judged = std::panic::catch_unwind(|| {
            // Wine's call leaves the user's Path out, goes through the user's expandable values twice, and drops empty
            // ones.
            const ODD: [&str; 5] = ["U A:=%B%", "U A:=%A%;x", "U A:=%A%;u", "U PATHEXT:=%PATHEXT%;.TIDE", "U EMPTY="];
            let odd = |state: &[&str], name: &str| name == "PATH" || state.iter().any(|line| ODD.contains(line));
            judge(Builder::Windows, &set, &fresh, &|state, name| os::is_wine() && odd(state, name));
        });
        set(&before);
        judged.unwrap();
        assert_eq!(RegistryEnvironments::read(&RegistryPlaces::of(None)).unwrap(), before);
    }
}
