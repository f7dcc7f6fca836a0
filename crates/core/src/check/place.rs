//! Where a program is started.

use std::path::Path;

use crate::environment::Environment;
use crate::process::TerminalContext;

/// The variables that a program gets, and the rest of a terminal's context where it was learned.
#[derive(Debug, Clone, Copy)]
pub(super) struct Place<'a> {
    pub environment: &'a Environment,
    pub context: Option<&'a TerminalContext>,
    /// The PowerShell that runs its scripts there.
    pub script_host: Option<&'a Path>,
}
