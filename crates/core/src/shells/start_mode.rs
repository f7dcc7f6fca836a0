//! Which terminal, and how its shell is started.

use serde::{Deserialize, Serialize};

use crate::resolve::Shell;
use crate::system::System;

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum TerminalKind {
    This,
    New,
}

/// A way in which a shell is started, which decides the startup files it reads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum StartMode {
    /// An interactive login shell: a text console, a remote session, a terminal on macOS.
    Login,
    /// An interactive shell that is no login shell: a terminal window on most desktops.
    Interactive,
    /// `SHELL -lc COMMAND`: how editors, schedulers and remote commands run things.
    LoginCommand,
}

impl StartMode {
    pub const ALL: [Self; 3] = [Self::Login, Self::Interactive, Self::LoginCommand];

    /// The ways in which people start this shell: on Windows there is one.
    pub fn of(shell: Shell) -> &'static [Self] {
        match shell.system() {
            System::Unix => &Self::ALL,
            System::Windows => &[Self::Interactive],
        }
    }

    pub fn name(self) -> &'static str {
        match self {
            Self::Login => "login",
            Self::Interactive => "interactive",
            Self::LoginCommand => "login-command",
        }
    }
}
