//! One file that is no archive: a bare program, or anything compressed by itself.

use std::path::Path;

use crate::naming;

const ENDINGS: [&str; 6] = [".gz", ".xz", ".bz2", ".zst", ".lzma", ".bin"];
/// Endings that make a program what it is, and stay.
const KEPT: [&str; 6] = [".exe", ".com", ".cmd", ".bat", ".sh", ".ps1"];

/// The name a single file gets when it is unpacked: the tool's, without version, system and processor.
pub(super) fn plain_name(file: &Path) -> String {
    let whole = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let lower = whole.to_ascii_lowercase();
    let packed = ENDINGS.iter().find(|ending| lower.ends_with(**ending)).map_or(0, |ending| ending.len());
    let bare = whole.get(..whole.len() - packed).filter(|bare| !bare.is_empty()).unwrap_or(&whole);
    let lower = bare.to_ascii_lowercase();
    let kept = KEPT.iter().find(|ending| lower.ends_with(**ending)).map_or(0, |ending| ending.len());
    let (stem, ending) = bare.split_at_checked(bare.len() - kept).unwrap_or((bare, ""));
    let guess = naming::guess(stem);
    match guess.name {
        // A name that is nothing but a version says nothing.
        Some(name) if guess.version.as_deref() != Some(&name) => format!("{name}{ending}"),
        _ => bare.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_only_tells_the_kind_goes() {
        for (file, expected) in [
            ("shoal", "shoal"),
            ("shoal-2.0.3-linux-x64", "shoal"),
            ("shoal_2.0.3_windows_amd64.exe", "shoal.exe"),
            ("Shoal-v2.0.3.gz", "shoal"),
            ("tide-table-linux-arm64.xz", "tide-table"),
            ("shoal-2.0.3.sh", "shoal.sh"),
            ("2.0.3", "2.0.3"),
            (".gz", ".gz"),
        ] {
            assert_eq!(plain_name(Path::new(file)), expected, "{file}");
        }
    }
}
