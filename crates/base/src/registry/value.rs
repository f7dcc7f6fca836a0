//! A string value of the registry, with everything that has to survive an edit.

use serde::{Deserialize, Serialize};

use crate::os::RawValue;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ValueKind {
    /// `REG_SZ`: taken as it is.
    Plain,
    /// `REG_EXPAND_SZ`: `%NAME%` references are expanded when an environment is built.
    Expandable,
}

impl ValueKind {
    /// The type number ("Registry Value Types").
    pub fn number(self) -> u32 {
        match self {
            Self::Plain => 1,
            Self::Expandable => 2,
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RegistryValue {
    pub kind: ValueKind,
    /// Its text, raw.
    pub text: String,
    /// The bytes after the text: most often one zero character, but not always.
    pub(super) ending: Vec<u8>,
}

impl RegistryValue {
    pub fn new(kind: ValueKind, text: impl Into<String>) -> Self {
        Self { kind, text: text.into(), ending: vec![0, 0] }
    }

    /// Reads a raw value; `None` where it is no string, or not Unicode, so that an edit could lose something.
    pub fn from_raw(raw: &RawValue) -> Option<Self> {
        let kind = match raw.kind {
            1 => ValueKind::Plain,
            2 => ValueKind::Expandable,
            _ => return None,
        };
        let pairs = raw.bytes.chunks_exact(2);
        let odd = !pairs.remainder().is_empty();
        let units: Vec<u16> = pairs.map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        let length = units.iter().position(|unit| *unit == 0).unwrap_or(units.len());
        let text = String::from_utf16(&units[..length]).ok().filter(|_| !odd)?;
        Some(Self { kind, text, ending: raw.bytes[length * 2..].to_vec() })
    }

    pub fn with_text(&self, text: String) -> Self {
        Self { text, ..self.clone() }
    }

    pub fn with_kind(&self, kind: ValueKind) -> Self {
        Self { kind, ..self.clone() }
    }

    pub fn bytes(&self) -> Vec<u8> {
        let text = self.text.encode_utf16().flat_map(u16::to_le_bytes);
        text.chain(self.ending.iter().copied()).collect()
    }
}

/// The values of a registry key that make up an environment, in the system's order.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct RegistryKey(pub Vec<RawValue>);

impl RegistryKey {
    /// The value of this name; case does not matter.
    pub fn raw(&self, name: &str) -> Option<&RawValue> {
        self.0.iter().find(|value| same_name(&value.name, name))
    }

    /// Sets a value, or takes it away. One that is there keeps its place, a new one comes last.
    pub fn set(&mut self, name: String, value: Option<&RegistryValue>) {
        let place = self.0.iter().position(|raw| same_name(&raw.name, &name));
        let raw = value.map(|value| RawValue { name, kind: value.kind.number(), bytes: value.bytes() });
        match (place, raw) {
            (Some(place), Some(raw)) => self.0[place] = raw,
            (Some(place), None) => drop(self.0.remove(place)),
            (None, Some(raw)) => self.0.push(raw),
            (None, None) => {}
        }
    }

    pub fn get(&self, name: &str) -> Option<RegistryValue> {
        self.raw(name).and_then(RegistryValue::from_raw)
    }
}

/// Whether two variable names are the same: Windows compares them without regard to case ("Environment Variables").
pub fn same_name(one: &str, other: &str) -> bool {
    one.to_uppercase() == other.to_uppercase()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn reading_and_writing_is_identity(bytes in proptest::collection::vec(any::<u8>(), 0..40), kind in 0u32..5) {
            let raw = RawValue { name: "Path".to_owned(), kind, bytes };
            if let Some(value) = RegistryValue::from_raw(&raw) {
                prop_assert_eq!((value.bytes(), value.kind.number()), (raw.bytes, kind));
            }
        }
    }
}
