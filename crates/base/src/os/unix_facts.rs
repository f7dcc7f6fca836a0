//! Unix: what the system says of itself, and of where text goes.

use std::io;
use std::path::Path;

pub fn in_console_code_page(text: &str) -> Option<Vec<u8>> {
    Some(text.as_bytes().to_vec())
}

pub fn output_is_file() -> bool {
    rustix::fs::fstat(io::stdout()).is_ok_and(|seen| rustix::fs::FileType::from_raw_mode(seen.st_mode).is_file())
}

/// The attribute in which macOS keeps that a file was downloaded.
const QUARANTINE: &str = "com.apple.quarantine";

/// The mark of a download; only macOS has one.
pub fn read_download_mark(file: &Path) -> Option<Vec<u8>> {
    const MOST: usize = 4096;
    if std::env::consts::OS != "macos" {
        return None;
    }
    let mut bytes = vec![0; MOST];
    let length = rustix::fs::getxattr(file, QUARANTINE, &mut bytes[..]).ok()?;
    bytes.truncate(length);
    Some(bytes)
}

pub fn write_download_mark(file: &Path, mark: &[u8]) -> io::Result<()> {
    if std::env::consts::OS != "macos" {
        return Ok(());
    }
    Ok(rustix::fs::setxattr(file, QUARANTINE, mark, rustix::fs::XattrFlags::empty())?)
}

/// What this machine is called in its network (uname(2)).
pub fn host_name() -> Option<String> {
    let name = rustix::system::uname().nodename().to_string_lossy().into_owned();
    (!name.is_empty()).then_some(name)
}

/// The kernel's version, where it is Linux (uname(2)).
pub fn kernel_version() -> Option<[u32; 3]> {
    if std::env::consts::OS != "linux" {
        return None;
    }
    let told = rustix::system::uname();
    let release = told.release().to_string_lossy().into_owned();
    let mut numbers = release.split(|c: char| !c.is_ascii_digit()).map(|part| part.parse().unwrap_or(0));
    Some([numbers.next()?, numbers.next()?, numbers.next().unwrap_or(0)])
}
