//! Checksums, and how they are computed.

use std::fmt;
use std::io::{self, Read};

use md5::{Digest as _, Md5};
use ring::digest::{Context, SHA1_FOR_LEGACY_USE_ONLY, SHA256, SHA512};
use serde::{Serialize, Serializer};

use crate::progress::Stop;

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Algorithm {
    /// SHA-256 (FIPS 180-4).
    Sha256,
    /// SHA-512 (FIPS 180-4).
    Sha512,
    /// SHA-1 (FIPS 180-4): whoever wants to can make two files with the same.
    Sha1,
    /// MD5 (RFC 1321): the same, and with less effort.
    Md5,
}

impl Algorithm {
    pub const ALL: [Self; 4] = [Self::Sha256, Self::Sha512, Self::Sha1, Self::Md5];

    pub fn name(self) -> &'static str {
        match self {
            Self::Sha256 => "SHA-256",
            Self::Sha512 => "SHA-512",
            Self::Sha1 => "SHA-1",
            Self::Md5 => "MD5",
        }
    }

    fn name_in_reports(self) -> String {
        self.name().to_ascii_lowercase().replace('-', "")
    }

    pub fn digits(self) -> usize {
        match self {
            Self::Sha256 => 64,
            Self::Sha512 => 128,
            Self::Sha1 => 40,
            Self::Md5 => 32,
        }
    }

    /// Whether two files with the same checksum can be made on purpose.
    pub fn is_weak(self) -> bool {
        matches!(self, Self::Sha1 | Self::Md5)
    }
}

impl Serialize for Algorithm {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.name_in_reports())
    }
}

crate::schema_of_names!(Algorithm, "Algorithm", Algorithm::ALL.iter().map(|algorithm| algorithm.name_in_reports()));

/// A checksum: lower-case hex digits.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Checksum {
    pub algorithm: Algorithm,
    pub value: String,
}

impl fmt::Display for Checksum {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.value)
    }
}

impl Checksum {
    /// Reads one as it is published; case and surrounding white space do not matter.
    pub fn parse(algorithm: Algorithm, text: &str) -> Result<Self, String> {
        let value = text.trim().to_ascii_lowercase();
        if value.len() != algorithm.digits() || !value.bytes().all(|b| b.is_ascii_hexdigit()) {
            let seen = value.chars().count();
            let (name, digits) = (algorithm.name(), algorithm.digits());
            return Err(format!("{name} has {digits} hex digits; this has {seen} characters"));
        }
        Ok(Self { algorithm, value })
    }
}

impl Checksum {
    /// Of bytes that are in memory.
    pub fn of(algorithm: Algorithm, bytes: &[u8]) -> Self {
        let mut hasher = Hasher::new(algorithm);
        hasher.update(bytes);
        Self { algorithm, value: hasher.end() }
    }
}

/// Computes checksums in one pass over the content, in the order of the algorithms.
///
/// # Errors
/// When the content cannot be read; of kind `Interrupted` when the user asks to stop.
pub fn compute(algorithms: &[Algorithm], mut content: impl Read, stop: &Stop) -> io::Result<Vec<Checksum>> {
    let mut hashers: Vec<(Algorithm, Hasher)> = algorithms.iter().map(|a| (*a, Hasher::new(*a))).collect();
    let mut buffer = vec![0; 1 << 18];
    loop {
        if stop.requested() {
            return Err(io::Error::from(io::ErrorKind::Interrupted));
        }
        match content.read(&mut buffer) {
            Ok(0) => break,
            Ok(read) => hashers.iter_mut().for_each(|(_, hasher)| hasher.update(&buffer[..read])),
            Err(e) if e.kind() == io::ErrorKind::Interrupted => {}
            Err(e) => return Err(e),
        }
    }
    Ok(hashers.into_iter().map(|(algorithm, hasher)| Checksum { algorithm, value: hasher.end() }).collect())
}

enum Hasher {
    /// In assembly: half of the time of plain code, and the longest part of receiving a well-packed archive.
    Sha(Context),
    Md5(Md5),
}

impl Hasher {
    fn new(algorithm: Algorithm) -> Self {
        match algorithm {
            Algorithm::Sha256 => Self::Sha(Context::new(&SHA256)),
            Algorithm::Sha512 => Self::Sha(Context::new(&SHA512)),
            Algorithm::Sha1 => Self::Sha(Context::new(&SHA1_FOR_LEGACY_USE_ONLY)),
            Algorithm::Md5 => Self::Md5(Md5::new()),
        }
    }

    fn update(&mut self, bytes: &[u8]) {
        match self {
            Self::Sha(hasher) => hasher.update(bytes),
            Self::Md5(hasher) => hasher.update(bytes),
        }
    }

    fn end(self) -> String {
        match self {
            Self::Sha(hasher) => hex::encode(hasher.finish()),
            Self::Md5(hasher) => hex::encode(hasher.finalize()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_digests_are_those_of_the_standards() {
        let computed = compute(&Algorithm::ALL, &b"abc"[..], &Stop::default()).unwrap();
        let values: Vec<&str> = computed.iter().map(|c| c.value.as_str()).collect();
        assert_eq!(values[0], "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
        assert!(values[1].starts_with("ddaf35a193617abacc417349ae20413112e6fa4e89a97ea2"));
        assert_eq!(values[2..], ["a9993e364706816aba3e25717850c26c9cd0d89d", "900150983cd24fb0d6963f7d28e17f72"]);
        assert!(computed.iter().all(|c| Checksum::parse(c.algorithm, &c.value.to_uppercase()).as_ref() == Ok(c)));
        for wrong in ["", "abc", &"g".repeat(64), &"0".repeat(63)] {
            assert!(Checksum::parse(Algorithm::Sha256, wrong).is_err(), "{wrong}");
        }
    }
}
