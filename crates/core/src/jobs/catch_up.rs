//! What brings the present terminal to what a new one has: PATH and the home variables, where they differ.

use std::ffi::{OsStr, OsString};

use serde::Serialize;

use crate::error::classified;
use crate::os;
use crate::report::{Report, report_body};
use crate::resolve::Shell;
use crate::session::{JobError, Session, SessionError};
use crate::shells::{StartMode, catch_up_rules};
use crate::terminal::{NoAnswer, Question, base_environments, installed};

/// What brings a terminal to what a new one has.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct CatchUpLines {
    pub shell: Shell,
    pub variables: Vec<Difference>,
    /// The lines to run, in order; none where nothing differs.
    pub lines: Vec<String>,
}

report_body!(CatchUpLines = "catch-up");

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Difference {
    pub name: String,
    /// What this terminal has, lossy; null where it is not set.
    pub here: Option<String>,
    /// What a new one has, lossy; null where it is not set.
    pub new: Option<String>,
}

/// How a shell comes to read the lines. `cmd` expands references in a file, and not in what `for /f` hands on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ReadAs {
    /// One by one: typed, or from a pipe.
    Lines,
    File,
}

/// The most characters of a line of `cmd` ("Command prompt line string limitation").
const CMD_LINE: usize = 8191;

#[derive(Debug, thiserror::Error)]
pub enum CatchUpError {
    #[error("{} is not installed, or belongs to another system", .0.name())]
    NotHere(Shell),
    #[error("a new terminal of {} did not answer", .0.name())]
    NoAnswer(Shell),
    #[error("{0} of a new terminal contains a line break or is not text, and cannot be set by a line")]
    NoLine(String),
    /// A line of `cmd` would be too long.
    #[error("setting {0} takes a line of {1} characters; cmd reads at most {CMD_LINE}")]
    TooLong(String, usize),
    #[error("{0} of a new terminal contains a character that this console's code page lacks")]
    CodePage(String),
}

classified!(CatchUpError {
    Self::NoAnswer(_) | Self::NoLine(_) | Self::TooLong(..) => Machine, "close this terminal and open a new one";
    Self::CodePage(_) => Machine, "run 'chcp 65001' first, or open a new terminal";
    Self::NotHere(_) => Call, "name the shell you are in";
});

/// The lines that bring this terminal to what a new one of the shell has.
pub fn run(session: &Session, shell: Shell, read_as: ReadAs) -> Result<Report<CatchUpLines>, JobError> {
    let stock = session.stock()?;
    let mut names: Vec<String> = vec!["PATH".to_owned()];
    let registered = stock.registered().into_iter().filter_map(|card| card.registration.as_ref());
    names.extend(registered.flat_map(|r| r.home_variables.iter().map(ToString::to_string)));
    let new = new_values(session, shell, &names)?;
    let mut report = CatchUpLines { shell, variables: Vec::new(), lines: Vec::new() };
    for (name, new) in names.into_iter().zip(new) {
        let here = session.machine.environment.get(&name).map(OsStr::to_owned);
        if here == new {
            continue;
        }
        let mut line = line(shell, &name, new.as_deref()).ok_or_else(|| CatchUpError::NoLine(name.clone()))?;
        if shell == Shell::Cmd {
            let length = line.encode_utf16().count();
            if length > CMD_LINE {
                return Err(CatchUpError::TooLong(name, length).into());
            }
            if read_as == ReadAs::File {
                line = line.replace('%', "%%");
            }
            if os::in_console_code_page(&line).is_none() {
                return Err(CatchUpError::CodePage(name).into());
            }
        }
        report.lines.push(line);
        let lossy = |value: Option<OsString>| value.map(|value| value.to_string_lossy().into_owned());
        report.variables.push(Difference { name, here: lossy(here), new: lossy(new) });
    }
    if !report.lines.is_empty() {
        report.lines.extend(catch_up_rules(shell).forget.map(str::to_owned));
    }
    Ok(Report::new(report).with_findings(stock.findings()))
}

/// The values of variables in a new terminal, as people open it: interactive.
fn new_values(session: &Session, shell: Shell, names: &[String]) -> Result<Vec<Option<OsString>>, JobError> {
    let base = base_environments(&session.machine).swap_remove(0);
    let shells = installed(&session.machine, &[shell]);
    let installed = shells.first().ok_or(CatchUpError::NotHere(shell))?;
    let asking = session.asking_of(&shells)?;
    let answer = asking.one(installed, StartMode::Interactive, &base, Question { commands: &[], variables: names });
    match answer.said {
        Ok(said) => Ok(names.iter().map(|name| said.variable(name).map(OsStr::to_owned)).collect()),
        Err(NoAnswer::Interrupted) => Err(SessionError::Interrupted.into()),
        Err(_) => Err(CatchUpError::NoAnswer(shell).into()),
    }
}

/// A line that sets or unsets a variable; `None` where no line can.
fn line(shell: Shell, name: &str, value: Option<&OsStr>) -> Option<String> {
    let rules = catch_up_rules(shell);
    let Some(value) = value else { return Some((rules.unset)(name)) };
    (rules.set)(name, value.to_str().filter(|text| !text.contains(['\n', '\r']))?)
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
            (
                PowerShell,
                "X",
                Some("it’s ß😀"),
                Some("$env:X = 'it' + [char]0x2019 + 's ' + [char]0x00df + '' + [char]0xd83d + [char]0xde00 + ''"),
            ),
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
