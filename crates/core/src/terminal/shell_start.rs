//! How a shell is started.

use std::path::PathBuf;

use super::asking::Asking;
use super::shells::InstalledShell;
use super::start_mode::StartMode;
use crate::environment::Environment;
use crate::process::Start;
use crate::resolve::Shell;

impl Asking<'_> {
    /// A shell of Unix as a terminal starts it, to read what is typed there.
    pub(super) fn at_terminal(&self, shell: &InstalledShell, mode: StartMode, base: &Environment) -> Start {
        let start = Start::new(&shell.program, base, &self.start_folder());
        match (shell.shell, mode) {
            // The plain shell reads nothing of the user's when it is interactive but no login shell, unless ENV names
            // a file (dash(1), "Invocation"): it has what the login shell above it left in the environment.
            (Shell::Sh, StartMode::Interactive) => {
                start.called("-sh").with(["-c", "exec \"$0\" -i"]).with([shell.program.as_os_str()])
            }
            // A shell is told to be a login shell by the dash before its name.
            (_, StartMode::Login) => start.called(&format!("-{}", shell.shell.name())),
            _ => start,
        }
    }

    /// A shell of Unix started to do what the text says.
    pub(super) fn for_text(&self, shell: &InstalledShell, mode: StartMode, base: &Environment, text: &str) -> Start {
        let start = Start::new(&shell.program, base, &self.start_folder());
        let start = match (shell.shell, mode) {
            (Shell::Sh, StartMode::Interactive) => {
                start.called("-sh").with(["-c", "exec \"$0\" -i -c \"$1\""]).with([shell.program.as_os_str()])
            }
            // Older plain shells have no `-l`, and the C shell takes it only where it is the only flag.
            (Shell::Sh | Shell::Tcsh, StartMode::Login) => start.called("-sh").with(["-i", "-c"]),
            (Shell::Sh | Shell::Tcsh, StartMode::LoginCommand) => start.called("-sh").with(["-c"]),
            (_, StartMode::Login) => start.with(["-l", "-i", "-c"]),
            (_, StartMode::Interactive) => start.with(["-i", "-c"]),
            (_, StartMode::LoginCommand) => start.with(["-l", "-c"]),
        };
        start.with([text])
    }

    /// A terminal opens in the home folder.
    pub(super) fn start_folder(&self) -> PathBuf {
        if self.machine.home.is_dir() { self.machine.home.clone() } else { std::env::temp_dir() }
    }
}
