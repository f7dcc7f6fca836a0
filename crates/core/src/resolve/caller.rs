//! Who looks a command up.

use serde::{Deserialize, Serialize};

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
}

impl Shell {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Sh, Self::Bash, Self::Zsh, Self::Fish];

    /// The name of its program.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Sh => "sh",
            Self::Bash => "bash",
            Self::Zsh => "zsh",
            Self::Fish => "fish",
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
}

impl Caller {
    /// All of them.
    pub const ALL: [Self; 5] = [Self::Exec, Self::Sh, Self::Bash, Self::Zsh, Self::Fish];

    /// The stable name.
    #[must_use]
    pub fn name(self) -> &'static str {
        self.shell().map_or("exec", Shell::name)
    }

    /// The shell, unless the caller is none.
    #[must_use]
    pub fn shell(self) -> Option<Shell> {
        Some(match self {
            Self::Exec => return None,
            Self::Sh => Shell::Sh,
            Self::Bash => Shell::Bash,
            Self::Zsh => Shell::Zsh,
            Self::Fish => Shell::Fish,
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
        }
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
