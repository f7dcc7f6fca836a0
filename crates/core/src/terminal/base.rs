//! The environment a new terminal begins with, before any startup file is read.

use std::ffi::{OsStr, OsString};
use std::fs;
use std::path::Path;

use super::origin::{Found, Origin};
use crate::environment::Environment;
use crate::machine::Machine;
use crate::os;
use crate::store::macos_login_path;
use crate::system::System;

/// What a session hands on unchanged: who the user is, language, time zone, kind of terminal.
const HANDED_ON: [&str; 8] = ["USER", "LOGNAME", "SHELL", "LANG", "LANGUAGE", "TZ", "TERM", "COLORTERM"];

/// Variables that decide which startup files are read. A session may have set them, or only this terminal: nobody can
/// tell from inside, so a new terminal is tried with them and without.
const DECIDING: [&str; 3] = ["ZDOTDIR", "XDG_CONFIG_HOME", "XDG_DATA_HOME"];

/// The environments a new terminal may begin with: one, or two where a deciding variable is set here.
pub fn base_environments(machine: &Machine) -> Vec<Environment> {
    if machine.system() == System::Windows {
        return vec![super::windows::environment(machine)];
    }
    let is_kept =
        |name: &OsStr| HANDED_ON.iter().any(|kept| name == *kept) || name.as_encoded_bytes().starts_with(b"LC_");
    let mut bare: Environment =
        Environment::with(machine.system(), machine.environment.iter().filter(|(name, _)| is_kept(name)));
    bare.set("HOME", machine.home.clone());
    bare.set("PATH", login_path().0);
    // What an editor gives those it starts is no terminal.
    bare.retain(|name, value| name != "TERM" || value != "dumb");
    if bare.get("TERM").is_none() {
        bare.set("TERM", "xterm-256color");
    }
    let mut with = bare.clone();
    for name in DECIDING {
        if let Some(value) = machine.environment.get(name) {
            with.set(name, value);
        }
    }
    if with == bare { vec![bare] } else { vec![with, bare] }
}

/// The PATH a session starts with: on macOS what the system's lists make of it, elsewhere `/etc/environment` (pam_env(8)),
/// else `ENV_SUPATH` or `ENV_PATH` of `/etc/login.defs` (login.defs(5)), else what POSIX systems have in common. With it the
/// line that says so.
pub(super) fn login_path() -> (OsString, Option<Origin>) {
    let from = |file: &str, key: &str| {
        let text = fs::read_to_string(os::system_root().join(file.trim_start_matches('/'))).ok()?;
        text.lines().enumerate().find_map(|(at, line)| {
            let rest = line.trim().strip_prefix(key)?.trim_start_matches(['=', ' ', '\t']);
            let value = rest.strip_prefix("PATH=").unwrap_or(rest).trim_matches('"');
            let line = u32::try_from(at + 1).ok();
            let origin = Origin { place: file.to_owned(), line, found: Found::Session };
            (!value.is_empty()).then(|| (OsString::from(value), Some(origin)))
        })
    };
    if os::SYSTEM == "macos" {
        return (macos_login_path(Path::new("/"), OsStr::new("/usr/bin:/bin:/usr/sbin:/sbin")), None);
    }
    let key = if os::is_superuser() { "ENV_SUPATH" } else { "ENV_PATH" };
    from("/etc/environment", "PATH")
        .or_else(|| from("/etc/login.defs", key))
        .unwrap_or_else(|| ("/usr/local/bin:/usr/bin:/bin:/usr/sbin:/sbin".into(), None))
}
