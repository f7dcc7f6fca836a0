//! The checksum of the downloaded file.

use std::fmt;
use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::str::FromStr;

use sha2::{Digest, Sha256};

use super::ReceiveError;
use crate::error::FileContext;
use crate::progress::{Progress, Stop};

/// A SHA-256 as 64 lower-case hex digits.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sha256Hex(String);

impl fmt::Display for Sha256Hex {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl FromStr for Sha256Hex {
    type Err = String;

    /// Case and surrounding white space do not matter.
    fn from_str(text: &str) -> Result<Self, String> {
        let plain = text.trim().to_ascii_lowercase();
        if plain.len() != 64 || !plain.bytes().all(|b| b.is_ascii_hexdigit()) {
            return Err(format!("a SHA-256 is 64 hex digits; this has {} characters", plain.chars().count()));
        }
        Ok(Self(plain))
    }
}

/// A file that is not what was published.
#[derive(Debug, thiserror::Error)]
#[error("{} is not the file that was published; nothing was unpacked\n  published SHA-256  {published}\n  of this file       {computed}", file.display())]
pub struct ChecksumError {
    /// The file.
    pub file: PathBuf,
    /// What was given.
    pub published: Sha256Hex,
    /// What was computed.
    pub computed: Sha256Hex,
}

/// Computes the SHA-256 of a file in one pass (FIPS 180-4).
///
/// # Errors
/// When the file cannot be read, or the user asks to stop.
pub fn sha256(file: &Path, bytes: u64, progress: &dyn Progress, stop: &Stop) -> Result<Sha256Hex, ReceiveError> {
    let mut input = File::open(file).at("open", file)?;
    let mut hasher = Sha256::new();
    let mut buffer = vec![0; 1 << 17];
    progress.begin("checksum", Some(bytes));
    loop {
        let read = input.read(&mut buffer).at("read", file)?;
        if read == 0 {
            break;
        }
        if stop.requested() {
            return Err(crate::archive::ArchiveError::Interrupted.into());
        }
        hasher.update(&buffer[..read]);
        progress.advance(read as u64);
    }
    progress.end();
    let hex = hasher.finalize().iter().map(|b| format!("{b:02x}")).collect();
    Ok(Sha256Hex(hex))
}

/// Compares with the published one; `false` where there is none to compare with.
pub(super) fn compare(computed: &Sha256Hex, published: Option<&Sha256Hex>, file: &Path) -> Result<bool, ReceiveError> {
    match published {
        None => Ok(false),
        Some(published) if published == computed => Ok(true),
        Some(published) => Err(ReceiveError::Checksum(ChecksumError {
            file: file.to_owned(),
            published: published.clone(),
            computed: computed.clone(),
        })),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_digest_is_that_of_the_standard() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("abc");
        std::fs::write(&file, "abc").unwrap();
        let seen = sha256(&file, 3, &crate::progress::Silent, &Stop::default()).unwrap();
        // FIPS 180-4, example for "abc".
        let published = "  BA7816BF8F01CFEA414140DE5DAE2223B00361A396177A9CB410FF61F20015AD\n";
        assert_eq!(published.parse(), Ok(seen));
        assert!("12".parse::<Sha256Hex>().is_err() && "g".repeat(64).parse::<Sha256Hex>().is_err());
    }
}
