//! A stream of which only so much may be read at a time.

use std::cell::Cell;
use std::io::{self, Read, Seek, SeekFrom};
use std::rc::Rc;

#[derive(Debug, Clone, Default)]
pub(super) struct Ration(Rc<Cell<u64>>);

impl Ration {
    /// Allows so many bytes from here on.
    pub fn set(&self, bytes: u64) {
        self.0.set(bytes);
    }

    pub fn left(&self) -> u64 {
        self.0.get()
    }
}

/// The stream. Without it a decoder of headers would read as many bytes of a name into memory as the stream says it has.
pub(super) struct Rationed<R> {
    inner: R,
    ration: Ration,
}

impl<R> Rationed<R> {
    pub fn new(inner: R, ration: Ration) -> Self {
        Self { inner, ration }
    }

    pub fn into_inner(self) -> R {
        self.inner
    }
}

impl<R: Read> Read for Rationed<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let most = usize::try_from(self.ration.left()).unwrap_or(usize::MAX).min(buffer.len());
        if most == 0 && !buffer.is_empty() {
            return Err(io::Error::new(io::ErrorKind::InvalidData, "a header is longer than any packer makes one"));
        }
        let read = self.inner.read(&mut buffer[..most])?;
        self.ration.set(self.ration.left() - read as u64);
        Ok(read)
    }
}

impl<R: Seek> Seek for Rationed<R> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.inner.seek(to)
    }
}
