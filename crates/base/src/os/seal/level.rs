use serde::{Deserialize, Serialize};

/// How far what is asked or probed is kept from the machine, best first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum SealLevel {
    /// It writes into layers over the real folders that are thrown away, and all its processes are ended with it.
    Full,
    /// The same, but it sees the machine's processes (where no new `/proc` can be mounted).
    SharedProcesses,
    /// It can write nothing at all, which some shells answer differently for.
    NoWrites,
    None,
}

impl SealLevel {
    pub const ALL: [Self; 4] = [Self::Full, Self::SharedProcesses, Self::NoWrites, Self::None];

    pub fn name(self) -> &'static str {
        match self {
            Self::Full => "full",
            Self::SharedProcesses => "shared-processes",
            Self::NoWrites => "no-writes",
            Self::None => "none",
        }
    }

    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|level| level.name() == name)
    }

    /// Whether what runs in it can write, and nothing of that lasts.
    pub fn throws_away(self) -> bool {
        matches!(self, Self::Full | Self::SharedProcesses)
    }
}
