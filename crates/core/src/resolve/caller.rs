//! Who looks a command up.

use serde::{Deserialize, Serialize};

use crate::system::System;

/// A shell that people type into.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Shell {
    /// The system's plain shell, `/bin/sh`.
    Sh,
    /// bash.
    Bash,
    /// zsh.
    Zsh,
    /// fish.
    Fish,
    /// The Korn shell.
    Ksh,
    /// The C shell with editing of the command line.
    Tcsh,
    /// The Windows command processor.
    Cmd,
    /// PowerShell.
    PowerShell,
}

impl Shell {
    /// All of them.
    pub const ALL: [Self; 8] =
        [Self::Sh, Self::Bash, Self::Zsh, Self::Fish, Self::Ksh, Self::Tcsh, Self::Cmd, Self::PowerShell];

    /// The system that the shell's startup belongs to.
    #[must_use]
    pub fn system(self) -> System {
        match self {
            Self::Sh | Self::Bash | Self::Zsh | Self::Fish | Self::Ksh | Self::Tcsh => System::Unix,
            Self::Cmd | Self::PowerShell => System::Windows,
        }
    }

    /// The name of its program.
    #[must_use]
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
        }
    }
}

/// Who looks a command up, each with rules of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Caller {
    /// A program that starts another through execvp(3).
    Exec,
    /// The plain shell.
    Sh,
    /// bash.
    Bash,
    /// zsh.
    Zsh,
    /// fish.
    Fish,
    /// The Korn shell.
    Ksh,
    /// The C shell with editing of the command line.
    Tcsh,
    /// What runs a command with an administrator's rights and searches a list of its own.
    Elevated,
    /// The Windows command processor.
    Cmd,
    /// PowerShell.
    PowerShell,
    /// A program that starts another through CreateProcess.
    CreateProcess,
}

impl Caller {
    /// All of them.
    pub const ALL: [Self; 11] = [
        Self::Exec,
        Self::Sh,
        Self::Bash,
        Self::Zsh,
        Self::Fish,
        Self::Ksh,
        Self::Tcsh,
        Self::Elevated,
        Self::Cmd,
        Self::PowerShell,
        Self::CreateProcess,
    ];

    /// The system on which this caller looks commands up.
    #[must_use]
    pub fn system(self) -> System {
        match self {
            Self::Exec | Self::Elevated => System::Unix,
            Self::CreateProcess => System::Windows,
            _ => self.shell().map_or(System::Unix, Shell::system),
        }
    }

    /// Who looks up what a person types into the usual terminal of a system: on Unix as any program does, on Windows
    /// `cmd`, which finds batch files as well.
    #[must_use]
    pub fn typed(system: System) -> Self {
        match system {
            System::Unix => Self::program(system),
            System::Windows => Self::Cmd,
        }
    }

    /// The program that starts another, on this system.
    #[must_use]
    pub fn program(system: System) -> Self {
        match system {
            System::Unix => Self::Exec,
            System::Windows => Self::CreateProcess,
        }
    }

    /// The stable name.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Exec => "exec",
            Self::CreateProcess => "createprocess",
            Self::Elevated => "elevated",
            _ => self.shell().map_or("exec", Shell::name),
        }
    }

    /// The shell, unless the caller is none.
    #[must_use]
    pub fn shell(self) -> Option<Shell> {
        Some(match self {
            Self::Exec | Self::Elevated | Self::CreateProcess => return None,
            Self::Sh => Shell::Sh,
            Self::Bash => Shell::Bash,
            Self::Zsh => Shell::Zsh,
            Self::Fish => Shell::Fish,
            Self::Ksh => Shell::Ksh,
            Self::Tcsh => Shell::Tcsh,
            Self::Cmd => Shell::Cmd,
            Self::PowerShell => Shell::PowerShell,
        })
    }
}

impl From<Shell> for Caller {
    fn from(shell: Shell) -> Self {
        match shell {
            Shell::Sh => Self::Sh,
            Shell::Bash => Self::Bash,
            Shell::Zsh => Self::Zsh,
            Shell::Fish => Self::Fish,
            Shell::Ksh => Self::Ksh,
            Shell::Tcsh => Self::Tcsh,
            Shell::Cmd => Self::Cmd,
            Shell::PowerShell => Self::PowerShell,
        }
    }
}

impl std::str::FromStr for Shell {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        Self::ALL.into_iter().find(|shell| shell.name() == text).ok_or_else(|| {
            let names: Vec<_> = Self::ALL.iter().map(|shell| shell.name()).collect();
            format!("\"{text}\" is no shell known here: {}", names.join(", "))
        })
    }
}

impl std::str::FromStr for Caller {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        Self::ALL.into_iter().find(|c| c.name() == text).ok_or_else(|| {
            let names: Vec<_> = Self::ALL.iter().map(|c| c.name()).collect();
            format!("\"{text}\" is no caller known here: {}", names.join(", "))
        })
    }
}
