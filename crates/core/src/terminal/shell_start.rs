//! How a shell is started.

use std::path::PathBuf;

use super::asking::Asking;
use super::installed::InstalledShell;
use crate::environment::Environment;
use crate::process::Start;
use crate::shells::{StartMode, unix_rules};

impl Asking<'_> {
    /// A shell of Unix as a terminal starts it, to read what is typed there.
    pub(super) fn at_terminal(&self, shell: &InstalledShell, mode: StartMode, base: &Environment) -> Start {
        let start = Start::new(&shell.program, base, &self.start_folder());
        match mode {
            StartMode::Interactive if inherits_from_login(shell) => {
                start.called("-sh").with(["-c", "exec \"$0\" -i"]).with([shell.program.as_os_str()])
            }
            // A shell is told to be a login shell by the dash before its name.
            StartMode::Login => start.called(&format!("-{}", shell.shell.name())),
            StartMode::Interactive | StartMode::LoginCommand => start,
        }
    }

    /// A shell of Unix started to do what the text says.
    pub(super) fn for_text(&self, shell: &InstalledShell, mode: StartMode, base: &Environment, text: &str) -> Start {
        let start = Start::new(&shell.program, base, &self.start_folder());
        let takes_flag = unix_rules(shell.shell).is_some_and(|rules| rules.takes_login_flag);
        let start = match mode {
            StartMode::Interactive if inherits_from_login(shell) => {
                start.called("-sh").with(["-c", "exec \"$0\" -i -c \"$1\""]).with([shell.program.as_os_str()])
            }
            StartMode::Interactive => start.with(["-i", "-c"]),
            StartMode::Login if takes_flag => start.with(["-l", "-i", "-c"]),
            StartMode::Login => start.called("-sh").with(["-i", "-c"]),
            StartMode::LoginCommand if takes_flag => start.with(["-l", "-c"]),
            StartMode::LoginCommand => start.called("-sh").with(["-c"]),
        };
        start.with([text])
    }

    pub(super) fn start_folder(&self) -> PathBuf {
        if self.machine.home.is_dir() { self.machine.home.clone() } else { std::env::temp_dir() }
    }
}

fn inherits_from_login(shell: &InstalledShell) -> bool {
    unix_rules(shell.shell).is_some_and(|rules| rules.inherits_from_login)
}
