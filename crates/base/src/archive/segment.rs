//! A part of an open file, read by position: many readers at once, all of the file that was opened first.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::sync::Arc;

use crate::os;

/// A reader of a part of a file. A clone reads on its own.
#[derive(Debug, Clone)]
pub(crate) struct Segment {
    file: Arc<File>,
    start: u64,
    length: u64,
    at: u64,
}

impl Segment {
    /// The part of `length` bytes from `start`.
    pub fn new(file: Arc<File>, start: u64, length: u64) -> Self {
        Self { file, start, length, at: 0 }
    }

    pub fn length(&self) -> u64 {
        self.length
    }

    pub fn part(&self, start: u64, length: u64) -> Self {
        let start = start.min(self.length);
        Self { file: Arc::clone(&self.file), start: self.start + start, length: length.min(self.length - start), at: 0 }
    }
}

impl Read for Segment {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let left = usize::try_from(self.length.saturating_sub(self.at)).unwrap_or(usize::MAX);
        let most = buffer.len().min(left);
        let read = os::read_at(&self.file, &mut buffer[..most], self.start + self.at)?;
        self.at += read as u64;
        Ok(read)
    }
}

impl Seek for Segment {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let target = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::End(offset) => self.length.checked_add_signed(offset),
            SeekFrom::Current(offset) => self.at.checked_add_signed(offset),
        };
        self.at = target.ok_or_else(|| io::Error::from(io::ErrorKind::InvalidInput))?;
        Ok(self.at)
    }
}

/// The size of a [`Buffered`] reader's buffer, in bytes.
const BUFFER: usize = 1 << 15;

/// A segment with a buffer for many small reads. A clone has an empty one.
#[derive(Debug)]
pub(crate) struct Buffered {
    segment: Segment,
    buffer: Vec<u8>,
    begins: u64,
    at: u64,
}

impl Buffered {
    pub fn new(segment: Segment) -> Self {
        Self { segment, buffer: Vec::new(), begins: 0, at: 0 }
    }

    pub fn segment(&self) -> Segment {
        self.segment.clone()
    }
}

impl Clone for Buffered {
    fn clone(&self) -> Self {
        Self { segment: self.segment.clone(), buffer: Vec::new(), begins: 0, at: self.at }
    }
}

impl Read for Buffered {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let held = self.begins..self.begins + self.buffer.len() as u64;
        if !held.contains(&self.at) {
            self.segment.seek(SeekFrom::Start(self.at))?;
            if into.len() >= BUFFER {
                let read = self.segment.read(into)?;
                self.at += read as u64;
                return Ok(read);
            }
            self.buffer.resize(BUFFER, 0);
            let read = self.segment.read(&mut self.buffer)?;
            self.buffer.truncate(read);
            self.begins = self.at;
        }
        let skip = usize::try_from(self.at - self.begins).unwrap_or(usize::MAX).min(self.buffer.len());
        let ready = &self.buffer[skip..];
        let most = ready.len().min(into.len());
        into[..most].copy_from_slice(&ready[..most]);
        self.at += most as u64;
        Ok(most)
    }
}

impl Seek for Buffered {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let length = self.segment.length;
        let target = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::End(offset) => length.checked_add_signed(offset),
            SeekFrom::Current(offset) => self.at.checked_add_signed(offset),
        };
        self.at = target.ok_or_else(|| io::Error::from(io::ErrorKind::InvalidInput))?;
        Ok(self.at)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_buffer_changes_nothing(steps in proptest::collection::vec((0u64..70_000, 1usize..40_000), 1..20)) {
            let mut file = tempfile::tempfile().unwrap();
            let content: Vec<u8> = (0..100_000u32).map(|i| (i * 7 % 251) as u8).collect();
            io::Write::write_all(&mut file, &content).unwrap();
            let mut segment = Segment::new(Arc::new(file), 0, 60_000).part(100, 59_000);
            let mut buffered = Buffered::new(segment.clone());
            for (at, length) in steps {
                let (mut plain, mut other) = (Vec::new(), Vec::new());
                segment.seek(SeekFrom::Start(at)).unwrap();
                buffered.seek(SeekFrom::Start(at)).unwrap();
                segment.by_ref().take(length as u64).read_to_end(&mut plain).unwrap();
                buffered.by_ref().take(length as u64).read_to_end(&mut other).unwrap();
                prop_assert_eq!(&plain, &other);
                let begin = usize::try_from(at).unwrap().min(59_000);
                prop_assert_eq!(&plain[..], &content[100 + begin..100 + (begin + length).min(59_000)]);
            }
        }
    }
}
