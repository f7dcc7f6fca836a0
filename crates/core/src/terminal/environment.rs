//! The whole environment that a new terminal hands to the programs started in it.

use super::answer::Question;
use super::asking::Asking;
use super::base::base_environments;
use super::question;
use super::quoting::marker;
use super::shells::InstalledShell;
use super::start_mode::StartMode;
use crate::environment::Environment;
use crate::os;
use crate::process;
use crate::resolve::Shell;
use crate::system::System;

/// What a shell sets for itself and its own place.
const OF_THE_SHELL: [&str; 4] = ["_", "SHLVL", "PWD", "OLDPWD"];

/// `env -0` prints every variable, each ended by a zero byte (env(1)).
const ENV: &str = "/usr/bin/env";

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
        shells.into_iter().find_map(|shell| match self.machine.system() {
            System::Unix => self.handed_on(shell, &base),
            System::Windows => {
                let said = self.one(shell, StartMode::Interactive, &base, Question::default()).said.ok()?;
                let mut environment = base.clone();
                environment.set("PATH", said.context.path);
                Some(environment)
            }
        })
    }

    fn handed_on(&self, shell: &InstalledShell, base: &Environment) -> Option<Environment> {
        let marker = marker();
        let print = question::PRINT;
        let text = format!("{print} '\\n%s\\0' {marker}; {ENV} -0; {print} '%s\\0' {marker}");
        let outcome =
            process::run(self.shell_command(shell, StartMode::LoginCommand, base, &text), self.limit, self.stop);
        parse(&marker, &outcome.stdout)
    }
}

/// The variables between the two markers.
fn parse(marker: &str, output: &[u8]) -> Option<Environment> {
    let fields: Vec<&[u8]> = output.split(|byte| *byte == 0).collect();
    let begin = fields.iter().position(|field| field.ends_with(marker.as_bytes()))?;
    let end = fields.iter().skip(begin + 1).position(|field| *field == marker.as_bytes())? + begin + 1;
    let mut environment = Environment::new(System::Unix);
    for field in &fields[begin + 1..end] {
        let at = field.iter().position(|byte| *byte == b'=')?;
        let [name, value] = [&field[..at], &field[at + 1..]].map(|bytes| os::name_from_bytes(bytes.to_vec()));
        environment.set(name, value);
    }
    environment.retain(|name, _| !OF_THE_SHELL.iter().any(|own| name == *own));
    environment.get("PATH").is_some().then_some(environment)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_stands_between_the_markers_is_the_environment() {
        let said = b"Welcome\nm\0PATH=/bin\0TIDE=a=b\nc\0SHLVL=1\0m\0bye";
        let found = parse("m", said).unwrap();
        assert_eq!(found.iter().count(), 2);
        assert_eq!(found.get("TIDE").unwrap(), "a=b\nc");
        for spoiled in [&b"m\0PATH=/bin\0"[..], b"m\0m\0", b"m\0PATH\0m\0"] {
            assert_eq!(parse("m", spoiled), None);
        }
    }
}
