//! How much an archive may hold: far more than any real toolchain, and less than what would fill a machine.

use super::error::ArchiveError;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    pub entries: usize,
    /// Their names and the targets of links together, in bytes: all of them are held in memory.
    pub names: usize,
    /// All files together, in bytes.
    pub bytes: u64,
    /// How many times its own size an archive may hold, once it is more than [`RATIO_FROM`].
    pub ratio: u64,
}

/// Below this many unpacked bytes no ratio is too high: text packs well.
pub const RATIO_FROM: u64 = 256 << 20;

impl Default for Limits {
    fn default() -> Self {
        Self { entries: 120_000, names: 16 << 20, bytes: 32 << 30, ratio: 250 }
    }
}

impl Limits {
    pub fn times(factor: u32) -> Self {
        let usual = Self::default();
        let many = usize::try_from(factor).unwrap_or(usize::MAX);
        Self {
            entries: usual.entries.saturating_mul(many),
            names: usual.names.saturating_mul(many),
            bytes: usual.bytes.saturating_mul(factor.into()),
            ratio: usual.ratio.saturating_mul(factor.into()),
        }
    }

    /// Whether so many bytes of names are within the limits.
    pub(super) fn check_names(&self, names: usize) -> Result<(), ArchiveError> {
        let over = || format!("names of more than {} MiB", self.names >> 20);
        if names > self.names { Err(ArchiveError::TooMuch(over())) } else { Ok(()) }
    }

    /// Whether so many entries and unpacked bytes of an archive of `packed` bytes are within the limits.
    pub(super) fn check(&self, entries: usize, bytes: u64, packed: u64) -> Result<(), ArchiveError> {
        let over = if entries > self.entries {
            format!("more than {} entries", self.entries)
        } else if bytes > self.bytes {
            format!("more than {} GiB when unpacked", self.bytes >> 30)
        } else if bytes > RATIO_FROM && bytes / packed.max(1) > self.ratio {
            format!("more than {} times its own size when unpacked", self.ratio)
        } else {
            return Ok(());
        };
        Err(ArchiveError::TooMuch(over))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn real_tools_are_far_below_and_bombs_above() {
        let usual = Limits::default();
        for (entries, bytes, packed, fine) in [
            (110_000, 5 << 30, 1 << 30, true),
            (10, 200 << 20, 1 << 10, true),
            (10, 10 << 30, 10 << 20, false),
            (1, 33 << 30, 30 << 30, false),
            (120_001, 1, 1, false),
        ] {
            assert_eq!(usual.check(entries, bytes, packed).is_ok(), fine, "{entries} {bytes} {packed}");
        }
        assert!(usual.check_names(16 << 20).is_ok() && usual.check_names(17 << 20).is_err());
        assert!(Limits::times(2).check(120_001, 33 << 30, 30 << 30).is_ok());
    }
}
