//! A PATH value as a list of entries, under the rules of Unix: separated by `:`, an empty entry means the current
//! folder (POSIX.1-2017, "Environment Variables", PATH).

mod spelling;
pub mod windows;

use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};

pub use spelling::{is_spelled_alike, lies_in};

use crate::os;
use crate::system::System;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PathEntry {
    pub raw: OsString,
    /// Its place in the list, from 0.
    pub index: usize,
}

impl PathEntry {
    /// The folder an entry stands for; the empty one is the current folder.
    pub fn folder(&self) -> PathBuf {
        if self.raw.is_empty() { PathBuf::from(".") } else { PathBuf::from(&self.raw) }
    }
}

/// A PATH value taken apart; [`PathList::write`] puts it together again to the byte.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PathList(Vec<PathEntry>);

impl PathList {
    /// Takes a value apart. An empty value has no entry.
    pub fn parse(value: &OsStr) -> Self {
        if value.is_empty() {
            return Self(Vec::new());
        }
        let parts = value.as_encoded_bytes().split(|b| *b == b':');
        Self(
            parts.enumerate().map(|(index, raw)| PathEntry { raw: os::name_from_bytes(raw.to_vec()), index }).collect(),
        )
    }

    pub fn write(&self) -> OsString {
        let raw: Vec<&OsStr> = self.0.iter().map(|e| e.raw.as_os_str()).collect();
        raw.join(OsStr::new(":"))
    }

    pub fn entries(&self) -> impl Iterator<Item = &PathEntry> {
        self.0.iter()
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum EntryError {
    #[error("its name contains a \"{0}\", which separates PATH entries")]
    Separator(char),
    /// It holds a quote, which means something to `cmd` in PATH.
    #[error("its name contains a quote, which PATH cannot contain")]
    Quote,
    /// It holds a `%` that stands for a variable.
    #[error("the registry would read a \"%\" in its name as a reference to a variable")]
    Reference,
    #[error("its name contains a line break or other control character")]
    Control,
}

/// Says whether a folder can stand in PATH of a system as one entry.
pub fn check_entry(folder: &Path, system: System) -> Result<(), EntryError> {
    let bytes = folder.as_os_str().as_encoded_bytes();
    let separator = match system {
        System::Unix => b':',
        System::Windows => b';',
    };
    if bytes.contains(&separator) {
        return Err(EntryError::Separator(char::from(separator)));
    }
    if system == System::Windows && bytes.contains(&b'"') {
        return Err(EntryError::Quote);
    }
    if bytes.iter().any(u8::is_ascii_control) {
        return Err(EntryError::Control);
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn an_empty_entry_is_the_current_folder() {
        let list = PathList::parse(OsStr::new("/a::/b:"));
        let folders: Vec<_> = list.entries().map(PathEntry::folder).collect();
        assert_eq!(folders, [Path::new("/a"), Path::new("."), Path::new("/b"), Path::new(".")]);
        assert_eq!(PathList::parse(OsStr::new("")).entries().count(), 0);
    }

    proptest! {
        #[test]
        fn parse_then_write_is_identity(text in "[ -~ä:]{0,60}") {
            prop_assert_eq!(PathList::parse(OsStr::new(&text)).write(), OsString::from(text));
        }
    }
}
