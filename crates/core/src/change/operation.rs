//! The elementary changes: what is done to one thing, and what was there before.

use std::collections::HashSet;
use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::content::Content;
use crate::error::{FileContext as _, FileError};
use crate::os::RawValue;
use crate::scope::Scope;
use crate::whole_file;

/// A value of the registry: its type number, and its text, or, where that does not say all, its bytes in hex.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct StoredValue {
    /// The type number ("Registry Value Types").
    pub kind: u32,
    #[serde(flatten)]
    data: StoredData,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
enum StoredData {
    /// Bytes that no text says. Looked for first: a text beside them would not say all.
    Hex {
        #[serde(with = "hex::serde")]
        hex: Vec<u8>,
    },
    /// Text, without the zero at its end.
    Text { text: String },
}

impl StoredValue {
    pub fn new(kind: u32, bytes: &[u8]) -> Self {
        let text = Self { kind, data: StoredData::Hex { hex: bytes.to_vec() } }.text();
        let of_text = text.map(|text| Self::of_text(kind, text)).filter(|value| value.bytes() == bytes);
        of_text.unwrap_or_else(|| Self { kind, data: StoredData::Hex { hex: bytes.to_vec() } })
    }

    pub fn of_text(kind: u32, text: String) -> Self {
        Self { kind, data: StoredData::Text { text } }
    }

    pub fn bytes(&self) -> Vec<u8> {
        match &self.data {
            StoredData::Hex { hex } => hex.clone(),
            StoredData::Text { text } => text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect(),
        }
    }

    /// The text without the zero at its end; `None` where the value is no Unicode.
    pub fn text(&self) -> Option<String> {
        match &self.data {
            StoredData::Text { text } => Some(text.clone()),
            StoredData::Hex { hex } => {
                let units: Vec<u16> = hex.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
                String::from_utf16(units.strip_suffix(&[0]).unwrap_or(&units)).ok()
            }
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
    Card,
    /// A file for startup files to read; it follows from the cards.
    Generated,
    OwnEntries,
    /// What PATH was before our first entry.
    PathBefore,
    /// A startup file as it was before its first change; it stays.
    Backup,
    /// A file of others that is brought back to what it was.
    Restored,
    Prepared,
    /// A launcher of a tool; it can be executed.
    Launcher,
}

/// An elementary change; `C` is how it has the contents of files.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "operation", rename_all = "kebab-case")]
pub enum Operation<C = Content> {
    Folder {
        path: PathBuf,
    },
    File {
        path: PathBuf,
        role: Role,
        /// Its content before; null where it was not there.
        before: Option<C>,
        /// Its content after; null where it goes.
        after: Option<C>,
    },
    /// A startup file gets or loses the block with this line.
    Startup {
        path: PathBuf,
        line: Content,
        before: Option<C>,
        after: Option<C>,
    },
    Value {
        scope: Scope,
        name: String,
        before: Option<StoredValue>,
        after: Option<StoredValue>,
    },
    Move {
        from: PathBuf,
        to: PathBuf,
    },
}

impl<C> Operation<C> {
    /// The same with the contents of files in another form, each made of the file and its content.
    pub fn with_contents<D, E>(self, mut form: impl FnMut(&Path, C) -> Result<D, E>) -> Result<Operation<D>, E> {
        Ok(match self {
            Self::Folder { path } => Operation::Folder { path },
            Self::File { path, role, before, after } => {
                let before = before.map(|content| form(&path, content)).transpose()?;
                let after = after.map(|content| form(&path, content)).transpose()?;
                Operation::File { path, role, before, after }
            }
            Self::Startup { path, line, before, after } => {
                let before = before.map(|content| form(&path, content)).transpose()?;
                let after = after.map(|content| form(&path, content)).transpose()?;
                Operation::Startup { path, line, before, after }
            }
            Self::Value { scope, name, before, after } => Operation::Value { scope, name, before, after },
            Self::Move { from, to } => Operation::Move { from, to },
        })
    }

    pub fn contents(&self) -> impl Iterator<Item = (&Path, &C)> {
        let (path, contents) = match self {
            Self::File { path, before, after, .. } | Self::Startup { path, before, after, .. } => {
                (path.as_path(), [before.as_ref(), after.as_ref()])
            }
            Self::Folder { path } | Self::Move { to: path, .. } => (path.as_path(), [None, None]),
            Self::Value { .. } => (Path::new(""), [None, None]),
        };
        contents.into_iter().flatten().map(move |content| (path, content))
    }

    pub fn place(&self) -> Option<&Path> {
        match self {
            Self::File { path, .. } | Self::Startup { path, .. } => Some(path),
            Self::Folder { .. } | Self::Value { .. } | Self::Move { .. } => None,
        }
    }

    /// It in words; none for what only prepares for others.
    pub fn describe(&self) -> Option<String> {
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

impl Operation {
    /// Whether both are of the same file or value.
    pub fn is_of_same(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Value { scope, name, .. }, Self::Value { scope: of, name: called, .. }) => {
                scope == of && name.eq_ignore_ascii_case(called)
            }
            _ => self.place().is_some() && self.place() == other.place(),
        }
    }

    /// One operation that does what this and then the other does; `None` where the other does not begin where this ends.
    pub fn joined(&self, later: &Self) -> Option<Self> {
        match (self, later) {
            (Self::File { path, role, before, after: is }, Self::File { role: of, before: was, after, .. })
                if role == of && is == was =>
            {
                Some(Self::File { path: path.clone(), role: *role, before: before.clone(), after: after.clone() })
            }
            (Self::Startup { path, line, before, after: is }, Self::Startup { line: of, before: was, after, .. })
                if line == of && is == was =>
            {
                let (path, line) = (path.clone(), line.clone());
                Some(Self::Startup { path, line, before: before.clone(), after: after.clone() })
            }
            (Self::Value { scope, name, before, after: is }, Self::Value { before: was, after, .. }) if is == was => {
                let (before, after) = (before.clone(), after.clone());
                Some(Self::Value { scope: *scope, name: name.clone(), before, after })
            }
            _ => None,
        }
    }
}

#[derive(Debug, Clone, Default)]
pub struct Changeset {
    all: Vec<Operation>,
    folders: HashSet<PathBuf>,
}

impl Changeset {
    pub fn push(&mut self, operation: Operation) {
        self.all.push(operation);
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
                self.all.push(Operation::Folder { path });
            }
        }
    }

    /// Adds the writing, or with `None` the removal, of a file of the yard; nothing where it is so already. It takes the
    /// place of what was planned for the file before.
    pub fn file(&mut self, path: &Path, role: Role, after: Option<Vec<u8>>) -> Result<(), FileError> {
        let before = read(path)?;
        self.all.retain(|operation| !matches!(operation, Operation::File { path: planned, .. } if planned == path));
        if before == after {
            return Ok(());
        }
        if after.is_some() {
            self.folders_for(path);
        }
        let (before, after) = (before.map(Content::from), after.map(Content::from));
        self.all.push(Operation::File { path: path.to_owned(), role, before, after });
        Ok(())
    }

    pub fn shift(&mut self, from: &Path, to: &Path) {
        self.folders_for(to);
        self.all.push(Operation::Move { from: from.to_owned(), to: to.to_owned() });
    }

    pub fn restore(&mut self, path: &Path, before: Option<Content>, after: Option<Content>) {
        self.all.push(Operation::File { path: path.to_owned(), role: Role::Restored, before, after });
    }

    pub fn prepared(&mut self, path: &Path, role: Role, before: Option<Vec<u8>>, after: Vec<u8>) {
        self.folders_for(path);
        let (before, after) = (before.map(Content::from), Some(Content::from(after)));
        self.all.push(Operation::File { path: path.to_owned(), role, before, after });
    }

    pub fn value(&mut self, scope: Scope, name: String, before: Option<StoredValue>, after: Option<StoredValue>) {
        self.all.push(Operation::Value { scope, name, before, after });
    }

    pub fn extend(&mut self, others: Self) {
        let known = std::mem::take(&mut self.folders);
        let new = |operation: &Operation| !matches!(operation, Operation::Folder { path } if known.contains(path));
        self.all.extend(others.all.into_iter().filter(new));
        self.folders = known.into_iter().chain(others.folders).collect();
    }

    pub fn is_empty(&self) -> bool {
        self.all.is_empty()
    }

    pub fn touches(&self, file: &Path) -> bool {
        self.all.iter().any(|operation| operation.place() == Some(file))
    }

    pub fn removes(&self, file: &Path) -> bool {
        self.all.iter().any(|operation| matches!(operation, Operation::File { path, after: None, .. } if path == file))
    }

    pub fn touched(&self) -> Vec<String> {
        self.all.iter().filter_map(Operation::describe).collect()
    }

    pub(super) fn into_operations(self) -> Vec<Operation> {
        self.all
    }
}

/// A file's content; `None` where there is none.
pub(super) fn read(path: &Path) -> Result<Option<Vec<u8>>, FileError> {
    match whole_file::read(&whole_file::real_target(path)?) {
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

    #[test]
    fn damaged_records_restore_nothing() {
        for damaged in [r#"{"hex":"78zz"}"#, r#"{"hex":"783"}"#, "{}", r#"{"text":"x"}"#] {
            assert!(serde_json::from_str::<Content>(damaged).is_err(), "{damaged}");
        }
        for damaged in [r#"{"kind":1}"#, r#"{"kind":1,"hex":"7g"}"#, r#"{"kind":1,"hex":7}"#] {
            assert!(serde_json::from_str::<StoredValue>(damaged).is_err(), "{damaged}");
        }
    }
}
