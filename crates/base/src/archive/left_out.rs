//! Entries that were not taken.

use serde::Serialize;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct LeftOut {
    /// The entry's name, lossy.
    pub entry: String,
    pub reason: String,
}
