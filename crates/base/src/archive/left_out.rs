//! Entries that were not taken.

use serde::Serialize;

/// An entry that was left out, and why.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LeftOut {
    /// The entry's name, lossy.
    pub entry: String,
    /// The reason.
    pub reason: String,
}
