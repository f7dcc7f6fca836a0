//! Names made of bytes.

use std::ffi::OsString;

/// Makes a name from exact bytes, as a shell or an archive gave them.
#[cfg(unix)]
pub fn name_from_bytes(bytes: Vec<u8>) -> OsString {
    std::os::unix::ffi::OsStringExt::from_vec(bytes)
}

/// Makes a name from bytes as an archive gave them: names are Unicode here.
#[cfg(windows)]
pub fn name_from_bytes(bytes: Vec<u8>) -> OsString {
    OsString::from(String::from_utf8(bytes).unwrap_or_else(|e| String::from_utf8_lossy(e.as_bytes()).into_owned()))
}
