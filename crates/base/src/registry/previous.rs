//! What was there before a value of ours, for the records.

use serde::{Deserialize, Serialize};

use super::value::{RegistryValue, ValueKind};

/// What a user's value was before a home variable of ours took its name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Replaced {
    pub name: String,
    pub kind: ValueKind,
    /// Its text, raw.
    pub text: String,
    /// The bytes behind the text, most often one zero character.
    #[serde(default = "usual_ending", skip_serializing_if = "is_usual_ending", with = "hex::serde")]
    pub ending: Vec<u8>,
}

fn usual_ending() -> Vec<u8> {
    vec![0, 0]
}

fn is_usual_ending(ending: &[u8]) -> bool {
    ending == [0, 0]
}

impl Replaced {
    pub fn of(name: &str, value: &RegistryValue) -> Self {
        let RegistryValue { kind, text, ending } = value.clone();
        Self { name: name.to_owned(), kind, text, ending }
    }

    pub fn value(&self) -> RegistryValue {
        let (kind, text, ending) = (self.kind, self.text.clone(), self.ending.clone());
        RegistryValue { kind, text, ending }
    }
}

/// What `Path` was before our first entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PathBefore {
    Missing,
    Plain,
    Expandable,
}

impl PathBefore {
    pub fn of(value: Option<&RegistryValue>) -> Self {
        match value.map(|value| value.kind) {
            None => Self::Missing,
            Some(ValueKind::Plain) => Self::Plain,
            Some(ValueKind::Expandable) => Self::Expandable,
        }
    }
}
