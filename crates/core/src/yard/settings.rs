//! What a user may set in `settings.toml`.

use std::path::PathBuf;
use std::time::Duration;

use serde::Deserialize;

use crate::process::SealLevel;
use crate::resolve::Shell;

#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Settings {
    /// The shells to register in and to prove, of those that are installed; none means the user's.
    pub shells: Option<Vec<Shell>>,
    /// How many seconds a shell may take to start.
    pub shell_seconds: u64,
    /// How many seconds a command may take to answer one probe.
    pub probe_seconds: u64,
    /// How many seconds a command of a trial may take.
    pub trial_seconds: u64,
    /// A PEM file with the certificate authorities that servers are judged by, in place of the system's.
    pub certificates: Option<PathBuf>,
    /// The best seal that is tried, where a better one answers wrongly.
    pub seal: SealLevel,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            shells: None,
            shell_seconds: 20,
            probe_seconds: 10,
            trial_seconds: 60,
            certificates: None,
            seal: SealLevel::Full,
        }
    }
}

impl Settings {
    pub fn shell_limit(&self) -> Duration {
        Duration::from_secs(self.shell_seconds)
    }

    pub fn probe_limit(&self) -> Duration {
        Duration::from_secs(self.probe_seconds)
    }

    pub fn trial_limit(&self) -> Duration {
        Duration::from_secs(self.trial_seconds)
    }
}
