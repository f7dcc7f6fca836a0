//! What files hold, and how the ledger records it: small contents as they are, larger ones as a copy by checksum or as what
//! differs from such a copy, so that the ledger does not grow with the files.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use similar::{Algorithm as Diff, DiffOp, capture_diff_slices};

use crate::checksum::{Algorithm, Checksum};
use crate::error::{FileContext as _, FileError};
use crate::os;
use crate::whole_file;

/// Up to this many bytes a content, or what differs, stands in the ledger itself.
const SMALL: usize = 1 << 10;

/// The content of a file: as text, or, where it is not Unicode, in hex.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Content {
    Text(String),
    Hex {
        /// Two digits for each byte; a record with any other digit is damaged.
        #[serde(with = "hex::serde")]
        hex: Vec<u8>,
    },
}

impl From<Vec<u8>> for Content {
    fn from(bytes: Vec<u8>) -> Self {
        String::from_utf8(bytes).map_or_else(|e| Self::Hex { hex: e.into_bytes() }, Self::Text)
    }
}

impl Content {
    pub fn bytes(&self) -> Vec<u8> {
        self.as_bytes().to_vec()
    }

    fn as_bytes(&self) -> &[u8] {
        match self {
            Self::Text(text) => text.as_bytes(),
            Self::Hex { hex } => hex,
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Recorded {
    Whole(Content),
    /// As a copy in which some bytes were exchanged.
    Near {
        /// The SHA-256 of the copy.
        near: String,
        /// What was exchanged, from the beginning on.
        exchanges: Vec<Exchange>,
        sha256: String,
    },
    Kept {
        kept: String,
    },
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Exchange {
    at: usize,
    without: usize,
    with: Content,
}

/// The copies beside a ledger, each named by its SHA-256.
#[derive(Debug)]
pub(super) struct Copies {
    folder: PathBuf,
    /// The copy that the contents of a file were last recorded by.
    last: HashMap<PathBuf, String>,
    read: HashMap<String, Vec<u8>>,
}

impl Copies {
    pub fn at(folder: PathBuf) -> Self {
        Self { folder, last: HashMap::new(), read: HashMap::new() }
    }

    pub fn note(&mut self, path: &Path, recorded: &Recorded) {
        if let Recorded::Near { near: copy, .. } | Recorded::Kept { kept: copy } = recorded {
            self.last.insert(path.to_owned(), copy.clone());
        }
    }

    /// A content of a file as it is recorded; a copy that this needs is on the disk then.
    pub fn record(&mut self, path: &Path, content: &Content) -> Result<Recorded, FileError> {
        let bytes = content.as_bytes();
        if bytes.len() <= SMALL {
            return Ok(Recorded::Whole(content.clone()));
        }
        let sha256 = Checksum::of(Algorithm::Sha256, bytes).to_string();
        if let Some(last) = self.last.get(path).cloned()
            && let Ok(copy) = self.copy(&last)
        {
            if last == sha256 {
                return Ok(Recorded::Kept { kept: sha256 });
            }
            if let Some(exchanges) = exchanges(copy, bytes) {
                return Ok(Recorded::Near { near: last, exchanges, sha256 });
            }
        }
        self.keep(&sha256, bytes)?;
        self.last.insert(path.to_owned(), sha256.clone());
        self.read.insert(sha256.clone(), bytes.to_vec());
        Ok(Recorded::Kept { kept: sha256 })
    }

    pub fn whole(&mut self, recorded: Recorded) -> Result<Content, FileError> {
        match recorded {
            Recorded::Whole(content) => Ok(content),
            Recorded::Kept { kept } => Ok(self.copy(&kept)?.to_vec().into()),
            Recorded::Near { near, exchanges, sha256 } => {
                let place = self.folder.join(&near);
                let bytes = exchanged(self.copy(&near)?, &exchanges);
                let bytes = bytes.filter(|bytes| Checksum::of(Algorithm::Sha256, bytes).to_string() == sha256);
                Ok(bytes.ok_or_else(damaged).at("restore a file from", &place)?.into())
            }
        }
    }

    fn copy(&mut self, sha256: &str) -> Result<&[u8], FileError> {
        if !self.read.contains_key(sha256) {
            // What stands in a record names no other file.
            let is_checksum = Checksum::parse(Algorithm::Sha256, sha256).is_ok();
            let place = self.folder.join(if is_checksum { sha256 } else { "none" });
            let bytes = whole_file::read(&place).at("read", &place)?;
            if Checksum::of(Algorithm::Sha256, &bytes).to_string() != sha256 {
                return Err(damaged()).at("use", &place);
            }
            self.read.insert(sha256.to_owned(), bytes);
        }
        Ok(self.read.get(sha256).map_or(&[], Vec::as_slice))
    }

    fn keep(&self, sha256: &str, bytes: &[u8]) -> Result<(), FileError> {
        let place = self.folder.join(sha256);
        if whole_file::read(&place).is_ok_and(|there| there == bytes) {
            return Ok(());
        }
        os::make_folders(&self.folder).at("make the folder", &self.folder)?;
        whole_file::replace(&place, bytes)
    }
}

fn damaged() -> std::io::Error {
    std::io::Error::new(std::io::ErrorKind::InvalidData, "its checksum does not match")
}

/// What differs between a copy and a content, word by word of what paths and lines are made of; `None` where that is much.
fn exchanges(copy: &[u8], content: &[u8]) -> Option<Vec<Exchange>> {
    /// Between so many bytes words are compared, and no more.
    const COMPARED: usize = 1 << 18;
    const MOST: usize = 16;
    let start = copy.iter().zip(content).take_while(|(one, other)| one == other).count();
    let (rest, other) = (&copy[start..], &content[start..]);
    let same = rest.iter().rev().zip(other.iter().rev()).take_while(|(one, other)| one == other).count();
    let (rest, other) = (&rest[..rest.len() - same], &other[..other.len() - same]);
    let whole = |at: usize, without: usize, with: &[u8]| Exchange { at, without, with: with.to_vec().into() };
    if other.len() <= SMALL {
        return Some(vec![whole(start, rest.len(), other)]);
    }
    if rest.len().max(other.len()) > COMPARED {
        return None;
    }
    let (old, new) = (words(rest), words(other));
    let (mut found, mut at, mut length) = (Vec::new(), start, 0);
    for change in capture_diff_slices(Diff::Myers, &old, &new) {
        let without: usize = old[change.old_range()].iter().map(|word| word.len()).sum();
        if !matches!(change, DiffOp::Equal { .. }) {
            let with = new[change.new_range()].concat();
            length += with.len();
            found.push(whole(at, without, &with));
        }
        at += without;
    }
    (length <= SMALL && found.len() <= MOST).then_some(found)
}

fn words(text: &[u8]) -> Vec<&[u8]> {
    text.split_inclusive(|byte| matches!(byte, b'\n' | b':' | b' ')).collect()
}

/// The copy with these exchanges; `None` where they do not fit.
fn exchanged(copy: &[u8], exchanges: &[Exchange]) -> Option<Vec<u8>> {
    let (mut content, mut from) = (Vec::with_capacity(copy.len()), 0);
    for exchange in exchanges {
        content.extend_from_slice(copy.get(from..exchange.at)?);
        content.extend_from_slice(exchange.with.as_bytes());
        from = exchange.at.checked_add(exchange.without)?;
    }
    content.extend_from_slice(copy.get(from..)?);
    Some(content)
}

#[cfg(test)]
mod tests {
    use std::fs;

    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn what_is_recorded_comes_back_to_the_byte(
            contents in proptest::collection::vec((0usize..4000, 0usize..3000, proptest::collection::vec(any::<u8>(), 0..2000)), 1..12),
        ) {
            let folder = tempfile::tempdir().unwrap();
            let mut copies = Copies::at(folder.path().join("contents"));
            let (mut now, mut recorded) = (b"tide\n".repeat(600), Vec::new());
            for (at, length, with) in contents {
                let at = at.min(now.len());
                now.splice(at..(at + length).min(now.len()), with);
                let content = Content::from(now.clone());
                let text = serde_json::to_string(&copies.record(Path::new("/f"), &content).unwrap()).unwrap();
                prop_assert!(text.len() < 8 * SMALL);
                recorded.push((text, content));
            }
            let mut copies = Copies::at(folder.path().join("contents"));
            for (text, content) in recorded {
                prop_assert_eq!(copies.whole(serde_json::from_str(&text).unwrap()).unwrap(), content);
            }
        }
    }

    #[test]
    fn a_list_that_grows_in_two_places_is_kept_once() {
        let folder = tempfile::tempdir().unwrap();
        let mut copies = Copies::at(folder.path().join("contents"));
        for count in 100..104 {
            let tools = || (0..count).map(|tool| format!("/stock/tool{tool}/bin"));
            let homes: String = tools().map(|place| format!("export TOOL={place}\n")).collect();
            let text = format!("{homes}first={}\n", tools().collect::<Vec<_>>().join(":"));
            let recorded = copies.record(Path::new("/f"), &text.clone().into_bytes().into()).unwrap();
            assert_eq!(copies.whole(recorded).unwrap(), Content::Text(text));
        }
        assert_eq!(fs::read_dir(&copies.folder).unwrap().count(), 1);
    }

    #[test]
    fn a_large_file_is_kept_once_and_a_spoiled_copy_restores_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let mut copies = Copies::at(folder.path().join("contents"));
        let large = vec![b'x'; 1 << 20];
        for round in 0..10u8 {
            let with_block = [&large[..], &[round; 200]].concat();
            for content in [large.clone(), with_block] {
                copies.record(Path::new("/f"), &content.into()).unwrap();
            }
        }
        let kept: Vec<_> = fs::read_dir(&copies.folder).unwrap().map(|entry| entry.unwrap().path()).collect();
        assert_eq!(kept.len(), 1);
        let near = copies.record(Path::new("/f"), &[&large[..], b"end"].concat().into()).unwrap();
        let mut fresh = Copies::at(copies.folder.clone());
        assert_eq!(fresh.whole(near.clone()).unwrap().bytes().len(), (1 << 20) + 3);
        fs::write(&kept[0], "other").unwrap();
        assert!(Copies::at(copies.folder.clone()).whole(near).is_err());
        assert!(copies.whole(Recorded::Kept { kept: "../f".to_owned() }).is_err());
    }
}
