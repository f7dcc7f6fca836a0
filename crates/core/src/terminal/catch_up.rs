//! What brings the present terminal to what a new one has: PATH and the home variables, where they differ.

use std::ffi::{OsStr, OsString};

use serde::Serialize;

use super::{Asking, NoAnswer, Question, Way, base_environments, installed};
use crate::error::{Blame, Blamed};
use crate::machine::{Machine, variable};
use crate::os;
use crate::progress::Stop;
use crate::resolve::Shell;
use crate::store::quote;
use crate::system::System;
use crate::yard::{Yard, YardError};

/// The report of `catch-up`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CatchUpReport {
    /// The format number.
    pub format: u32,
    /// `catch-up`.
    pub report: &'static str,
    /// The shell whose language the lines are in.
    pub shell: Shell,
    /// The variables that differ.
    pub variables: Vec<Difference>,
    /// The lines to run, in order; none where nothing differs.
    pub lines: Vec<String>,
}

/// A variable that this terminal has otherwise than a new one.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Difference {
    /// Its name.
    pub name: String,
    /// What this terminal has, lossy; null where it is not set.
    pub here: Option<String>,
    /// What a new one has, lossy; null where it is not set.
    pub new: Option<String>,
}

/// Why nothing can be told.
#[derive(Debug, thiserror::Error)]
pub enum CatchUpError {
    /// The yard's records.
    #[error(transparent)]
    Yard(#[from] YardError),
    /// The shell is not here.
    #[error("{} is not installed where shells are, or belongs to another system", .0.name())]
    NotHere(Shell),
    /// It gave no answer.
    #[error("a new terminal of {} gave no answer", .0.name())]
    NoAnswer(Shell),
    /// A value holds what no line can.
    #[error("{0} of a new terminal holds a line break or is no text, which no line here can set")]
    NoLine(String),
    /// The user asked to stop.
    #[error("interrupted; nothing was changed")]
    Interrupted,
}

impl Blamed for CatchUpError {
    fn blame(&self) -> Blame {
        match self {
            Self::Yard(e) => e.blame(),
            Self::NotHere(_) => Blame::Call,
            Self::NoAnswer(_) | Self::NoLine(_) => Blame::Machine,
            Self::Interrupted => Blame::Interrupted,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Yard(e) => e.hint(),
            Self::NoAnswer(_) | Self::NoLine(_) => Some("close this terminal and open a new one".to_owned()),
            Self::NotHere(_) => Some("name the shell you are in".to_owned()),
            Self::Interrupted => None,
        }
    }
}

/// The lines that bring this terminal to what a new one of the shell has.
///
/// # Errors
/// When that cannot be found out, or not be said in lines.
pub fn catch_up(machine: &Machine, shell: Shell, stop: &Stop) -> Result<CatchUpReport, CatchUpError> {
    let yard = Yard::of(machine);
    let settings = yard.settings()?;
    let cards = yard.in_service()?;
    let mut names: Vec<String> = vec!["PATH".to_owned()];
    let registered = cards.iter().filter_map(|card| card.registration.as_ref());
    names.extend(registered.flat_map(|r| r.home_variables.iter().map(ToString::to_string)));
    let new = new_values(machine, shell, &names, settings.shell_limit(), stop)?;
    let mut report = CatchUpReport { format: 1, report: "catch-up", shell, variables: Vec::new(), lines: Vec::new() };
    for (name, new) in names.into_iter().zip(new) {
        let here = variable(&machine.environment, &name).map(OsStr::to_owned);
        if here == new {
            continue;
        }
        let line = line(shell, &name, new.as_deref()).ok_or_else(|| CatchUpError::NoLine(name.clone()))?;
        report.lines.push(line);
        let lossy = |value: Option<OsString>| value.map(|value| value.to_string_lossy().into_owned());
        report.variables.push(Difference { name, here: lossy(here), new: lossy(new) });
    }
    if !report.lines.is_empty() {
        report.lines.extend(forget(shell).map(str::to_owned));
    }
    Ok(report)
}

/// The values of variables in a new terminal, as people open it: interactive.
fn new_values(
    machine: &Machine,
    shell: Shell,
    names: &[String],
    limit: std::time::Duration,
    stop: &Stop,
) -> Result<Vec<Option<OsString>>, CatchUpError> {
    let base = base_environments(machine).swap_remove(0);
    if shell.system() != os::HERE {
        return Err(CatchUpError::NotHere(shell));
    }
    if os::HERE == System::Windows {
        return Ok(names.iter().map(|name| variable(&base, name).map(OsStr::to_owned)).collect());
    }
    let shells = installed(machine, &[shell]);
    let installed = shells.first().ok_or(CatchUpError::NotHere(shell))?;
    let asking = Asking { machine, shells: &shells, limit, stop };
    let answer = asking.one(installed, Way::Interactive, &base, Question { commands: &[], variables: names });
    match answer.said {
        Ok(said) => Ok(said.variables),
        Err(NoAnswer::Interrupted) => Err(CatchUpError::Interrupted),
        Err(_) => Err(CatchUpError::NoAnswer(shell)),
    }
}

/// A line that sets or unsets a variable; `None` where no line can.
fn line(shell: Shell, name: &str, value: Option<&OsStr>) -> Option<String> {
    let Some(value) = value else {
        return Some(match shell {
            Shell::Sh | Shell::Bash | Shell::Zsh | Shell::Ksh => format!("unset {name}"),
            Shell::Fish => format!("set -e {name}"),
            Shell::Tcsh => format!("unsetenv {name}"),
            Shell::Cmd => format!("set \"{name}=\""),
            Shell::PowerShell => format!("Remove-Item Env:{name}"),
        });
    };
    let text = value.to_str().filter(|text| !text.contains(['\n', '\r']))?;
    let quoted = |quote: fn(&[u8]) -> Vec<u8>, text: &str| String::from_utf8(quote(text.as_bytes())).ok();
    Some(match shell {
        Shell::Sh | Shell::Bash | Shell::Zsh | Shell::Ksh => format!("export {name}={}", quoted(quote::posix, text)?),
        Shell::Tcsh => format!("setenv {name} {}", quoted(quote::csh, text)?),
        // What is a list there is set as one.
        Shell::Fish if name == "PATH" => {
            let entries: Option<Vec<String>> = text.split(':').map(|entry| quoted(quote::fish, entry)).collect();
            format!("set -gx PATH {}", entries?.join(" "))
        }
        Shell::Fish => format!("set -gx {name} {}", quoted(quote::fish, text)?),
        Shell::Cmd if text.contains('"') => return None,
        Shell::Cmd => format!("set \"{name}={text}\""),
        Shell::PowerShell => format!("$env:{name} = '{}'", text.replace('\'', "''")),
    })
}

/// What makes the shell forget where it found commands before; fish, `cmd` and PowerShell remember nothing.
fn forget(shell: Shell) -> Option<&'static str> {
    match shell {
        Shell::Sh | Shell::Bash | Shell::Zsh | Shell::Ksh => Some("hash -r"),
        Shell::Tcsh => Some("rehash"),
        Shell::Fish | Shell::Cmd | Shell::PowerShell => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_quoted_as_each_shell_reads_them() {
        use Shell::{Bash, Cmd, Fish, PowerShell, Tcsh};
        for (shell, name, value, expected) in [
            (Bash, "PATH", Some("/it's:/b c"), Some("export PATH='/it'\\''s:/b c'")),
            (Fish, "PATH", Some("/it's:/b c"), Some("set -gx PATH '/it\\'s' '/b c'")),
            (Tcsh, "X_HOME", Some("/a!b"), Some("setenv X_HOME '/a\\!b'")),
            (PowerShell, "X_HOME", Some("C:\\it's"), Some("$env:X_HOME = 'C:\\it''s'")),
            (Cmd, "PATH", Some("C:\\a b;C:\\c"), Some("set \"PATH=C:\\a b;C:\\c\"")),
            (Cmd, "PATH", Some("\"C:\\a\""), None),
            (Bash, "X", Some("a\nb"), None),
            (Bash, "X", None, Some("unset X")),
            (Cmd, "X", None, Some("set \"X=\"")),
        ] {
            assert_eq!(line(shell, name, value.map(OsStr::new)).as_deref(), expected, "{shell:?} {value:?}");
        }
    }
}
