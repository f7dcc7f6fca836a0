//! Where an entry of PATH comes from.

use serde::Serialize;

/// How an origin was found out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Found {
    /// The shell traced its own startup.
    Traced,
    /// The line has the folder's name in it.
    Read,
    /// It is what a session starts with.
    Session,
    /// The yard's own file puts it there.
    Yard,
    /// The user's `Path` in the registry holds it.
    UserRegistry,
    /// The system's `Path` in the registry holds it.
    SystemRegistry,
    /// A snapshot says so.
    Recorded,
}

/// What put an entry into PATH.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Origin {
    /// The file, or the registry's key and value.
    pub place: String,
    /// The line in that file, from 1.
    pub line: Option<u32>,
    /// How that was found out.
    pub found: Found,
}
