//! Who looks a command up.

use serde::{Deserialize, Serialize};

use crate::naming::did_you_mean;
use crate::system::System;

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Shell {
    /// The system's plain shell, `/bin/sh`.
    Sh,
    Bash,
    Zsh,
    Fish,
    Ksh,
    Tcsh,
    Cmd,
    PowerShell,
    /// PowerShell 6 and later, which is installed beside it.
    Pwsh,
}

impl Shell {
    pub const ALL: [Self; 9] =
        [Self::Sh, Self::Bash, Self::Zsh, Self::Fish, Self::Ksh, Self::Tcsh, Self::Cmd, Self::PowerShell, Self::Pwsh];

    pub fn system(self) -> System {
        match self {
            Self::Sh | Self::Bash | Self::Zsh | Self::Fish | Self::Ksh | Self::Tcsh => System::Unix,
            Self::Cmd | Self::PowerShell | Self::Pwsh => System::Windows,
        }
    }

    /// Whether it is a PowerShell, of whatever version.
    pub fn is_powershell(self) -> bool {
        matches!(self, Self::PowerShell | Self::Pwsh)
    }

    pub fn name(self) -> &'static str {
        match self {
            Self::Sh => "sh",
            Self::Bash => "bash",
            Self::Zsh => "zsh",
            Self::Fish => "fish",
            Self::Ksh => "ksh",
            Self::Tcsh => "tcsh",
            Self::Cmd => "cmd",
            Self::PowerShell => "powershell",
            Self::Pwsh => "pwsh",
        }
    }
}

/// Who looks a command up, each with rules of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Caller {
    /// A program that starts another through execvp(3).
    Exec,
    Shell(Shell),
    /// What runs a command with an administrator's rights and searches a list of its own.
    Elevated,
    CreateProcess,
    /// What starts a name for a user through ShellExecuteEx: the Run dialog, `start`.
    Run,
}

impl Serialize for Caller {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.name())
    }
}

wagon_yard_base::schema_of_names!(Caller, "Caller", Caller::all().map(|caller| caller.name().to_owned()));

impl Caller {
    /// All of them, in the order in which they are told.
    pub fn all() -> impl Iterator<Item = Self> {
        let shells = Shell::ALL.into_iter().map(Self::Shell);
        [Self::Exec].into_iter().chain(shells).chain([Self::Elevated, Self::CreateProcess, Self::Run])
    }

    pub fn system(self) -> System {
        match self {
            Self::Exec | Self::Elevated => System::Unix,
            Self::CreateProcess | Self::Run => System::Windows,
            Self::Shell(shell) => shell.system(),
        }
    }

    /// Who looks up what a person types into the usual terminal of a system: on Unix as any program does, on Windows
    /// `cmd`, which finds batch files as well.
    pub fn typed(system: System) -> Self {
        match system {
            System::Unix => Self::program(system),
            System::Windows => Self::Shell(Shell::Cmd),
        }
    }

    /// The plain shell of a system, whose own commands hide files that a person types.
    pub fn plain_shell(system: System) -> Self {
        Self::Shell(match system {
            System::Unix => Shell::Sh,
            System::Windows => Shell::Cmd,
        })
    }

    /// The program that starts another, on this system.
    pub fn program(system: System) -> Self {
        match system {
            System::Unix => Self::Exec,
            System::Windows => Self::CreateProcess,
        }
    }

    pub fn name(self) -> &'static str {
        match self {
            Self::Exec => "exec",
            Self::CreateProcess => "createprocess",
            Self::Elevated => "elevated",
            Self::Run => "run",
            Self::Shell(shell) => shell.name(),
        }
    }

    pub fn shell(self) -> Option<Shell> {
        match self {
            Self::Shell(shell) => Some(shell),
            Self::Exec | Self::Elevated | Self::CreateProcess | Self::Run => None,
        }
    }
}

impl From<Shell> for Caller {
    fn from(shell: Shell) -> Self {
        Self::Shell(shell)
    }
}

/// What is said of a name that is none of the known ones.
fn unknown(what: &str, text: &str, known: impl Iterator<Item = &'static str>) -> String {
    let names: Vec<_> = known.collect();
    match did_you_mean(text, names.iter().map(|name| (*name).to_owned())) {
        Some(meant) => format!("not a supported {what}; {meant}"),
        None => format!("not a supported {what}; use one of {}", names.join(", ")),
    }
}

impl std::str::FromStr for Shell {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        Self::ALL
            .into_iter()
            .find(|shell| shell.name() == text)
            .ok_or_else(|| unknown("shell", text, Self::ALL.iter().map(|shell| shell.name())))
    }
}

impl std::str::FromStr for Caller {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        Self::all().find(|c| c.name() == text).ok_or_else(|| unknown("caller", text, Self::all().map(Self::name)))
    }
}
