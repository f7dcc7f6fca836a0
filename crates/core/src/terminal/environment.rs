//! The whole environment that a new terminal hands to the programs started in it.

use super::answer::Question;
use super::asking::Asking;
use super::base::base_environments;
use super::shells::InstalledShell;
use super::start_mode::StartMode;
use crate::environment::Environment;
use crate::os;
use crate::resolve::Shell;
use crate::system::System;

/// What a shell sets for itself and its own place, and what says that it is sealed.
const OF_THE_SHELL: [&str; 5] = ["_", "SHLVL", "PWD", "OLDPWD", os::SEALED_VARIABLE];

impl Asking<'_> {
    /// Starts the user's shell the way editors and schedulers do, and takes the environment it hands on; on Windows that is
    /// what the terminal begins with and the PATH that the shell says it has. `None` where no shell answered.
    #[must_use]
    pub fn environment(&self) -> Option<Environment> {
        let mut shells: Vec<&InstalledShell> = self.shells.iter().collect();
        let of_user = self.machine.environment.get("SHELL").unwrap_or_default();
        shells.sort_by_key(|shell| {
            let unlike_posix = matches!(shell.shell, Shell::Fish | Shell::Tcsh);
            (shell.program.as_os_str() != of_user, unlike_posix)
        });
        let base = base_environments(self.machine).into_iter().next()?;
        let mode = match self.machine.system() {
            System::Unix => StartMode::LoginCommand,
            System::Windows => StartMode::Interactive,
        };
        let said = |shell| self.one(shell, mode, &base, Question::default()).said.ok();
        shells.into_iter().find_map(said).map(|said| said.environment)
    }
}

/// Variables as `env -0` prints them, `NAME=VALUE` each (env(1)).
pub(super) fn environment<'a>(fields: impl IntoIterator<Item = &'a [u8]>) -> Environment {
    let mut environment = Environment::new(System::Unix);
    for field in fields {
        let Some(at) = field.iter().position(|byte| *byte == b'=') else { continue };
        let [name, value] = [&field[..at], &field[at + 1..]].map(|bytes| os::name_from_bytes(bytes.to_vec()));
        environment.set(name, value);
    }
    environment.retain(|name, _| !OF_THE_SHELL.iter().any(|own| name == *own));
    environment
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_may_hold_anything() {
        let found = environment([&b"PATH=/bin"[..], b"TIDE=a=b\nc", b"SHLVL=1", b"odd", b"WYARD_SEALED=full"]);
        assert_eq!(found.iter().count(), 2);
        assert_eq!(found.get("TIDE").unwrap(), "a=b\nc");
    }
}
