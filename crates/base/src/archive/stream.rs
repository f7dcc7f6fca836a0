//! Contents handed on as they lie in memory, without a copy of them.

use std::cell::{RefCell, RefMut};
use std::io::{self, BufRead, Read, Seek, SeekFrom};
use std::rc::Rc;

use super::ahead::ReadAhead;
use super::held::read_held;

/// A decoded stream for a parser of headers, which goes on behind the contents that were taken past it. All clones stand
/// at the same place.
#[derive(Clone)]
pub(super) struct Stream(Rc<RefCell<Inner>>);

struct Inner {
    ahead: ReadAhead,
    /// How many bytes have been read.
    at: u64,
    /// How many of them the parser does not know of.
    past: u64,
    /// Whether the parser's last reading was of zero bytes.
    zeros: bool,
}

impl Stream {
    pub fn new(ahead: ReadAhead) -> Self {
        Self(Rc::new(RefCell::new(Inner { ahead, at: 0, past: 0, zeros: false })))
    }

    /// Whether what the parser has read last was zero bytes.
    pub fn has_read_zeros(&self) -> bool {
        self.0.borrow().zeros
    }

    /// The next bytes, not of the parser's reading. Until this is dropped nothing else may be read.
    pub fn content(&self, bytes: u64) -> Taken<'_> {
        Taken { stream: self.0.borrow_mut(), left: bytes }
    }
}

impl Read for Stream {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let mut inner = self.0.borrow_mut();
        let read = inner.ahead.read(buffer)?;
        inner.at += read as u64;
        if read > 0 {
            inner.zeros = buffer[..read].iter().all(|byte| *byte == 0);
        }
        Ok(read)
    }
}

impl Seek for Stream {
    /// Forward, from where the parser takes itself to be.
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let mut inner = self.0.borrow_mut();
        let past = std::mem::take(&mut inner.past);
        let SeekFrom::Current(offset) = to else { return Err(io::ErrorKind::Unsupported.into()) };
        let skip = u64::try_from(offset).ok().and_then(|offset| offset.checked_sub(past));
        let skip = skip.ok_or(io::ErrorKind::Unsupported)?;
        let mut skipped = Taken { stream: inner, left: skip };
        io::copy(&mut skipped, &mut io::sink())?;
        if skipped.left > 0 {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        skipped.stream.past = 0;
        Ok(skipped.stream.at)
    }
}

/// So many bytes of a [`Stream`].
pub(super) struct Taken<'a> {
    stream: RefMut<'a, Inner>,
    left: u64,
}

impl BufRead for Taken<'_> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        if self.left == 0 {
            return Ok(&[]);
        }
        let ready = self.stream.ahead.fill_buf()?;
        Ok(&ready[..usize::try_from(self.left).map_or(ready.len(), |left| left.min(ready.len()))])
    }

    fn consume(&mut self, bytes: usize) {
        self.stream.ahead.consume(bytes);
        self.stream.at += bytes as u64;
        self.stream.past += bytes as u64;
        self.left -= bytes as u64;
    }
}

impl Read for Taken<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        read_held(self, buffer)
    }
}

/// A content that is decoded when it is read, by way of a buffer that serves for many.
pub(super) struct Decoded<'a> {
    content: &'a mut dyn Read,
    buffer: &'a mut [u8],
    /// Of the buffer what is read and not yet taken.
    ready: std::ops::Range<usize>,
}

impl<'a> Decoded<'a> {
    pub fn new(content: &'a mut dyn Read, buffer: &'a mut [u8]) -> Self {
        Self { content, buffer, ready: 0..0 }
    }
}

impl BufRead for Decoded<'_> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        if self.ready.is_empty() {
            self.ready = 0..self.content.read(self.buffer)?;
        }
        Ok(&self.buffer[self.ready.clone()])
    }

    fn consume(&mut self, bytes: usize) {
        self.ready.start += bytes;
    }
}

impl Read for Decoded<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        // A small read, as of a file's first bytes, must not decode a whole buffer of it.
        if self.ready.is_empty() { self.content.read(buffer) } else { read_held(self, buffer) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

        /// As a parser does it: a header, of the content behind it a part past the parser, and on to the next header.
        #[test]
        fn contents_taken_past_the_parser_change_nothing(
            entries in proptest::collection::vec((0u64..90_000, 0u64..90_000), 1..20)
        ) {
            let bytes: Vec<u8> = (0..1_000_000u32).map(|i| (i * 7 % 251) as u8).collect();
            let ahead = ReadAhead::new(Box::new(io::Cursor::new(bytes.clone()))).unwrap();
            let (mut parser, mut at) = (Stream::new(ahead), 0);
            for (length, taken) in entries {
                let end = at + 512 + usize::try_from(length).unwrap();
                let mut header = [0; 512];
                let whole = parser.read_exact(&mut header);
                if at + 512 > bytes.len() {
                    prop_assert!(whole.is_err());
                    break;
                }
                prop_assert_eq!(&header[..], &bytes[at..at + 512]);
                let mut content = Vec::new();
                parser.content(length.min(taken)).read_to_end(&mut content).unwrap();
                prop_assert_eq!(&content[..], &bytes[at + 512..(at + 512 + content.len()).min(bytes.len())]);
                let skipped = parser.seek(SeekFrom::Current(i64::try_from(length).unwrap()));
                if end > bytes.len() {
                    prop_assert!(skipped.is_err());
                    break;
                }
                prop_assert_eq!(skipped.unwrap(), end as u64);
                at = end;
            }
            prop_assert!(parser.seek(SeekFrom::Current(-1)).is_err() && parser.seek(SeekFrom::Start(0)).is_err());
        }
    }
}
