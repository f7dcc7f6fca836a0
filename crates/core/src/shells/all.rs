//! The rules of every shell.

use super::rules::{CatchUpRules, UnixRules};
use super::{bash, fish, ksh, sh, tcsh, windows, zsh};
use crate::resolve::Shell;

pub fn unix_rules(shell: Shell) -> Option<&'static UnixRules> {
    match shell {
        Shell::Sh => Some(&sh::RULES),
        Shell::Bash => Some(&bash::RULES),
        Shell::Zsh => Some(&zsh::RULES),
        Shell::Fish => Some(&fish::RULES),
        Shell::Ksh => Some(&ksh::RULES),
        Shell::Tcsh => Some(&tcsh::RULES),
        Shell::Cmd | Shell::PowerShell | Shell::Pwsh => None,
    }
}

pub fn catch_up_rules(shell: Shell) -> &'static CatchUpRules {
    match shell {
        Shell::Sh => &sh::CATCH_UP,
        Shell::Bash => &bash::CATCH_UP,
        Shell::Zsh => &zsh::CATCH_UP,
        Shell::Fish => &fish::CATCH_UP,
        Shell::Ksh => &ksh::CATCH_UP,
        Shell::Tcsh => &tcsh::CATCH_UP,
        Shell::Cmd => &windows::CMD,
        Shell::PowerShell => &windows::POWERSHELL,
        Shell::Pwsh => &windows::PWSH,
    }
}
