//! Where an entry of PATH comes from.

use serde::Serialize;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Found {
    Traced,
    Read,
    Session,
    Yard,
    /// The user's `Path` in the registry holds it.
    UserRegistry,
    /// The system's `Path` in the registry holds it.
    SystemRegistry,
    Recorded,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Origin {
    /// The file, or the registry's key and value.
    pub place: String,
    /// The line in that file, from 1.
    pub line: Option<u32>,
    pub found: Found,
}
