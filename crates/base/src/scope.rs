//! Whose PATH.

use serde::{Deserialize, Serialize};

/// Whose PATH.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Scope {
    /// The user's.
    #[default]
    User,
    /// Every user's.
    System,
}

impl Scope {
    pub const ALL: [Self; 2] = [Self::User, Self::System];

    pub fn as_str(self) -> &'static str {
        match self {
            Self::User => "user",
            Self::System => "system",
        }
    }
}
