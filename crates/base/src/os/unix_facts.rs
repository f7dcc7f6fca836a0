//! Unix: what the system says of itself, and of where text goes.

use std::io;
use std::path::Path;

/// A text as another program reads it from this one.
#[must_use]
pub fn in_console_code_page(text: &str) -> Option<Vec<u8>> {
    Some(text.as_bytes().to_vec())
}

/// Whether what this process prints goes into a file.
#[must_use]
pub fn output_is_file() -> bool {
    rustix::fs::fstat(io::stdout()).is_ok_and(|seen| rustix::fs::FileType::from_raw_mode(seen.st_mode).is_file())
}

/// Downloads carry no such mark here.
#[must_use]
pub fn read_download_mark(_file: &Path) -> Option<Vec<u8>> {
    None
}

/// Downloads carry no such mark here.
///
/// # Errors
/// None.
pub fn write_download_mark(_file: &Path, _mark: &[u8]) -> io::Result<()> {
    Ok(())
}

/// The kernel's version, where it is Linux (uname(2)).
#[must_use]
pub fn kernel_version() -> Option<[u32; 3]> {
    if std::env::consts::OS != "linux" {
        return None;
    }
    let told = rustix::system::uname();
    let release = told.release().to_string_lossy().into_owned();
    let mut numbers = release.split(|c: char| !c.is_ascii_digit()).map(|part| part.parse().unwrap_or(0));
    Some([numbers.next()?, numbers.next()?, numbers.next().unwrap_or(0)])
}
