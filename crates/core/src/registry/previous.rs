//! What was there before a value of ours, for the records.

use serde::{Deserialize, Serialize};

use super::value::{RegistryValue, ValueKind};

/// What a user's value was before a home variable of ours took its name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Replaced {
    /// The variable.
    pub name: String,
    /// Its kind.
    pub kind: ValueKind,
    /// Its text, raw.
    pub text: String,
}

/// What `Path` was before our first entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PathBefore {
    /// It was not there.
    Missing,
    /// A plain string.
    Plain,
    /// An expandable one.
    Expandable,
}

impl PathBefore {
    /// Of the value that is there.
    #[must_use]
    pub fn of(value: Option<&RegistryValue>) -> Self {
        match value.map(|value| value.kind) {
            None => Self::Missing,
            Some(ValueKind::Plain) => Self::Plain,
            Some(ValueKind::Expandable) => Self::Expandable,
        }
    }
}
