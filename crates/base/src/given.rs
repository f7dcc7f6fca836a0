//! Files that are there for others: any kind of thing may be in their place, and reading it may take for ever.

use std::fs::File;
use std::io::{self, Read as _};
use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};

use crate::os;

/// How many reads wait for what somebody else may never write.
static WAITING: AtomicUsize = AtomicUsize::new(0);

/// Whether a read waits for a pipe or a terminal. Nothing is held meanwhile: the process may end.
pub fn is_waited_for() -> bool {
    WAITING.load(Ordering::SeqCst) > 0
}

/// Why something has no content that can be read twice and to an end; `None` for files, folders and what is not there.
pub fn without_content(file: &Path) -> Option<&'static str> {
    let seen = std::fs::metadata(file).ok()?;
    match seen.is_file() {
        true => os::is_made_when_read(file).then_some("a file that the system makes up while it is read"),
        false => (!seen.is_dir()).then_some("a device, pipe or socket"),
    }
}

/// Opens a file whose content is to be looked at.
///
/// # Errors
/// Where it cannot be opened, or is no file with a content: what is in its place is not waited for.
pub fn open(file: &Path) -> io::Result<File> {
    let open = os::open_at_once(file)?;
    match open.metadata()?.is_file() {
        true => Ok(open),
        false => Err(io::Error::new(io::ErrorKind::InvalidInput, "not a regular file")),
    }
}

/// All of the content of such a file.
pub fn content(file: &Path) -> io::Result<Vec<u8>> {
    let mut content = Vec::new();
    open(file)?.read_to_end(&mut content).map(|_| content)
}

/// Reads a text of at most `most` bytes, also from a pipe.
///
/// # Errors
/// When it cannot be read, or when the system makes it up while it is read: such a file may have no end, and reading may take
/// its content from somebody else.
pub fn read(file: &Path, most: u64) -> io::Result<Vec<u8>> {
    let seen = std::fs::metadata(file)?;
    if seen.is_file() && os::is_made_when_read(file) {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "the system makes this file up while it is read"));
    }
    let waits = usize::from(!seen.is_file());
    WAITING.fetch_add(waits, Ordering::SeqCst);
    let mut text = Vec::new();
    let read = File::open(file).and_then(|open| open.take(most).read_to_end(&mut text));
    WAITING.fetch_sub(waits, Ordering::SeqCst);
    read.map(|_| text)
}
