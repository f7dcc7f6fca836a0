//! Checksums of a downloaded file: computed in one pass, and compared with what was published.

mod algorithm;
mod published;
mod trust;

pub use algorithm::{Algorithm, Checksum, compute};
pub use published::{Published, PublishedError, beside, in_list};
pub use trust::{ChecksumMismatch, Computed, Summed, Trust, TrustError};
