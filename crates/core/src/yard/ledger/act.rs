//! The elementary changes: what is done to one thing, and what was there before.

use std::collections::HashSet;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use crate::error::{FileContext as _, FileError};
use crate::os::RawValue;
use crate::whole_file;
use crate::yard::Scope;

/// The content of a file: as text, or, where it is not Unicode, in hex.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Content {
    /// As it is.
    Text(String),
    /// Byte for byte.
    Hex {
        /// Two digits for each byte.
        hex: String,
    },
}

impl From<Vec<u8>> for Content {
    fn from(bytes: Vec<u8>) -> Self {
        String::from_utf8(bytes).map_or_else(|e| Self::Hex { hex: to_hex(e.as_bytes()) }, Self::Text)
    }
}

impl Content {
    /// The bytes.
    #[must_use]
    pub fn bytes(&self) -> Vec<u8> {
        match self {
            Self::Text(text) => text.clone().into_bytes(),
            Self::Hex { hex } => from_hex(hex),
        }
    }
}

fn to_hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

fn from_hex(hex: &str) -> Vec<u8> {
    let digits: Vec<u8> = hex.chars().filter_map(|c| c.to_digit(16)).filter_map(|d| u8::try_from(d).ok()).collect();
    digits.chunks_exact(2).map(|pair| pair[0] << 4 | pair[1]).collect()
}

/// A value of the registry: its type number, and its text, or, where that does not say all, its bytes in hex.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct StoredValue {
    /// The type number ("Registry Value Types").
    pub kind: u32,
    /// The text without the zero at its end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
    /// The bytes, where the text does not say all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hex: Option<String>,
}

impl StoredValue {
    /// Of these bytes.
    #[must_use]
    pub fn new(kind: u32, bytes: &[u8]) -> Self {
        let units: Vec<u16> = bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        let text = String::from_utf16(units.strip_suffix(&[0]).unwrap_or(&units)).ok();
        let value = Self { kind, text, hex: None };
        if value.bytes() == bytes { value } else { Self { hex: Some(to_hex(bytes)), ..value } }
    }

    /// The bytes.
    #[must_use]
    pub fn bytes(&self) -> Vec<u8> {
        match (&self.hex, &self.text) {
            (Some(hex), _) => from_hex(hex),
            (None, Some(text)) => text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect(),
            (None, None) => Vec::new(),
        }
    }
}

impl From<&RawValue> for StoredValue {
    fn from(raw: &RawValue) -> Self {
        Self::new(raw.kind, &raw.bytes)
    }
}

/// What a file of the yard is for, which decides how a change of it is taken back.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// A card.
    Card,
    /// A file for startup files to read; it follows from the cards.
    Generated,
    /// The user's own entries of PATH.
    OwnEntries,
    /// What PATH was before our first entry.
    PathBefore,
    /// A startup file as it was before its first change; it stays.
    Backup,
    /// A file of others that is brought back to what it was.
    Restored,
}

/// An elementary change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "kebab-case")]
pub enum Act {
    /// A folder is made.
    Folder {
        /// The folder.
        path: PathBuf,
    },
    /// A file of the yard is written or removed.
    File {
        /// The file.
        path: PathBuf,
        /// What it is for.
        role: Role,
        /// Its content before; null where it was not there.
        before: Option<Content>,
        /// Its content after; null where it goes.
        after: Option<Content>,
    },
    /// A startup file gets or loses the block with this line.
    Startup {
        /// The file.
        path: PathBuf,
        /// The line of the block.
        line: Content,
        /// Its content before; null where it was not there.
        before: Option<Content>,
        /// Its content after; null where it goes.
        after: Option<Content>,
    },
    /// A value of the registry is written or removed.
    Value {
        /// Whose environment.
        scope: Scope,
        /// Its name.
        name: String,
        /// The value before; null where it was not there.
        before: Option<StoredValue>,
        /// The value after; null where it goes.
        after: Option<StoredValue>,
    },
    /// A folder is moved.
    Move {
        /// From where.
        from: PathBuf,
        /// To where.
        to: PathBuf,
    },
}

impl Act {
    /// The file that is changed.
    #[must_use]
    pub fn place(&self) -> Option<&Path> {
        match self {
            Self::File { path, .. } | Self::Startup { path, .. } => Some(path),
            Self::Folder { .. } | Self::Value { .. } | Self::Move { .. } => None,
        }
    }

    /// It in words; none for what only prepares for others.
    #[must_use]
    pub fn words(&self) -> Option<String> {
        let verb = |before: bool, after: bool| match (before, after) {
            (false, _) => "made",
            (true, false) => "removed",
            (true, true) => "changed",
        };
        Some(match self {
            Self::File { role: Role::Generated | Role::Backup | Role::PathBefore, .. } | Self::Folder { .. } => {
                return None;
            }
            Self::File { path, before, after, .. } | Self::Startup { path, before, after, .. } => {
                format!("{} {}", path.display(), verb(before.is_some(), after.is_some()))
            }
            Self::Value { scope, name, before, after } => {
                let verb = verb(before.is_some(), after.is_some());
                format!("registry value {name} of the {} environment {verb}", scope.as_str())
            }
            Self::Move { from, to } if from.components().any(|part| part.as_os_str() == "staging") => {
                format!("{} filled", to.display())
            }
            Self::Move { from, to } => format!("{} moved to {}", from.display(), to.display()),
        })
    }
}

/// Changes in the order in which they are to be made.
#[derive(Debug, Clone, Default)]
pub struct Acts {
    all: Vec<Act>,
    folders: HashSet<PathBuf>,
}

impl Acts {
    /// Adds a change.
    pub fn push(&mut self, act: Act) {
        self.all.push(act);
    }

    /// Adds the folders that have to be made for a file or folder to lie there.
    pub fn folders_for(&mut self, path: &Path) {
        let mut missing = Vec::new();
        let mut folder = path.parent();
        while let Some(above) = folder.filter(|f| !f.as_os_str().is_empty() && !f.exists()) {
            missing.push(above.to_owned());
            folder = above.parent();
        }
        for path in missing.into_iter().rev() {
            if self.folders.insert(path.clone()) {
                self.all.push(Act::Folder { path });
            }
        }
    }

    /// Adds the writing, or with `None` the removal, of a file of the yard; nothing where it is so already. It takes the
    /// place of what was planned for the file before.
    ///
    /// # Errors
    /// When what is there cannot be read.
    pub fn file(&mut self, path: &Path, role: Role, after: Option<Vec<u8>>) -> Result<(), FileError> {
        let before = read(path)?;
        self.all.retain(|act| !matches!(act, Act::File { path: planned, .. } if planned == path));
        if before == after {
            return Ok(());
        }
        if after.is_some() {
            self.folders_for(path);
        }
        let (before, after) = (before.map(Content::from), after.map(Content::from));
        self.all.push(Act::File { path: path.to_owned(), role, before, after });
        Ok(())
    }

    /// Adds the moving of a folder.
    pub fn shift(&mut self, from: &Path, to: &Path) {
        self.folders_for(to);
        self.all.push(Act::Move { from: from.to_owned(), to: to.to_owned() });
    }

    /// Adds the bringing back of a file of others.
    pub fn restore(&mut self, path: &Path, before: Option<Content>, after: Option<Content>) {
        self.all.push(Act::File { path: path.to_owned(), role: Role::Restored, before, after });
    }

    /// Adds the change of a value of the registry.
    pub fn value(&mut self, scope: Scope, name: String, before: Option<StoredValue>, after: Option<StoredValue>) {
        self.all.push(Act::Value { scope, name, before, after });
    }

    /// Adds others behind these.
    pub fn extend(&mut self, others: Self) {
        let known = std::mem::take(&mut self.folders);
        let new = |act: &Act| !matches!(act, Act::Folder { path } if known.contains(path));
        self.all.extend(others.all.into_iter().filter(new));
        self.folders = known.into_iter().chain(others.folders).collect();
    }

    /// Whether there is nothing to do.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.all.is_empty()
    }

    /// Whether a file is among what is changed.
    #[must_use]
    pub fn touches(&self, file: &Path) -> bool {
        self.all.iter().any(|act| act.place() == Some(file))
    }

    /// What is changed, in words.
    #[must_use]
    pub fn touched(&self) -> Vec<String> {
        self.all.iter().filter_map(Act::words).collect()
    }

    pub(super) fn into_list(self) -> Vec<Act> {
        self.all
    }
}

/// A file's content; `None` where there is none.
pub(super) fn read(path: &Path) -> Result<Option<Vec<u8>>, FileError> {
    match fs::read(whole_file::real_target(path)?) {
        Ok(content) => Ok(Some(content)),
        Err(e) if e.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(e) => Err(e).at("read", path),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn what_is_stored_comes_back_to_the_byte(bytes in proptest::collection::vec(any::<u8>(), 0..40), kind in 0u32..12) {
            let stored = serde_json::to_string(&Content::from(bytes.clone())).unwrap();
            prop_assert_eq!(serde_json::from_str::<Content>(&stored).unwrap().bytes(), bytes.clone());
            let stored = serde_json::to_string(&StoredValue::new(kind, &bytes)).unwrap();
            let back: StoredValue = serde_json::from_str(&stored).unwrap();
            prop_assert_eq!((back.kind, back.bytes()), (kind, bytes));
        }
    }

    #[test]
    fn a_record_can_be_read_by_people() {
        let path = StoredValue::new(2, &"C:\\tools\0".encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<_>>());
        assert_eq!(serde_json::to_string(&path).unwrap(), r#"{"kind":2,"text":"C:\\tools"}"#);
        assert_eq!(serde_json::to_string(&Content::from(b"x=\xff".to_vec())).unwrap(), r#"{"hex":"783dff"}"#);
    }
}
