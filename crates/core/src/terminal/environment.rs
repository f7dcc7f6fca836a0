//! The whole environment that a new terminal hands to the programs started in it.

use super::answer::Question;
use super::asking::Asking;
use super::base::base_environments;
use super::installed::InstalledShell;
use crate::environment::Environment;
use crate::shells::{Dialect, StartMode, unix_rules};
use crate::system::System;

impl Asking<'_> {
    /// Starts the user's shell the way editors and schedulers do, and takes the environment it hands on; on Windows that is
    /// what the terminal begins with and the PATH that the shell says it has. `None` where no shell answered.
    pub fn environment(&self) -> Option<Environment> {
        let mut shells: Vec<&InstalledShell> = self.shells.iter().collect();
        let of_user = self.machine.environment.get("SHELL").unwrap_or_default();
        shells.sort_by_key(|shell| {
            let unlike_posix = unix_rules(shell.shell).is_some_and(|rules| rules.dialect != Dialect::Posix);
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
