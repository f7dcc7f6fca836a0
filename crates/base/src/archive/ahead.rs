//! Decoding in a thread of its own, a few chunks ahead of whoever reads.

use std::io::{self, BufRead, Read};
use std::sync::mpsc::{Receiver, Sender, SyncSender, channel, sync_channel};

use super::guard;
use super::held::read_held;

const CHUNK: usize = 1 << 19;
/// How many chunks may be ready and unread.
const READY: usize = 3;

/// Decoded bytes. The buffer keeps its full length from use to use, so that it is cleared only once.
#[derive(Default)]
struct Chunk {
    bytes: Vec<u8>,
    length: usize,
}

/// Reads what another thread has decoded; the thread ends when this is dropped.
pub(super) struct ReadAhead {
    chunks: Receiver<io::Result<Chunk>>,
    used: Sender<Vec<u8>>,
    chunk: Chunk,
    ended: bool,
    at: usize,
}

impl ReadAhead {
    pub fn new(decoder: Box<dyn Read + Send>) -> io::Result<Self> {
        let (ready, chunks) = sync_channel(READY);
        let (used, empty) = channel();
        guard::start(move || decode(decoder, &ready, &empty))?;
        Ok(Self { chunks, used, chunk: Chunk::default(), at: 0, ended: false })
    }
}

fn decode(mut decoder: Box<dyn Read + Send>, ready: &SyncSender<io::Result<Chunk>>, empty: &Receiver<Vec<u8>>) {
    loop {
        let mut bytes = empty.try_recv().unwrap_or_else(|_| vec![0; CHUNK]);
        let (mut length, mut failed) = (0, None);
        while length < bytes.len() {
            match decoder.read(&mut bytes[length..]) {
                Ok(0) => break,
                Ok(read) => length += read,
                Err(e) if e.kind() == io::ErrorKind::Interrupted => {}
                Err(e) => {
                    failed = Some(e);
                    break;
                }
            }
        }
        // An error comes after the bytes that were decoded before it, the end as a chunk with nothing in it.
        let end = length < bytes.len() && failed.is_none();
        if length > 0 && ready.send(Ok(Chunk { bytes, length })).is_err() {
            return;
        }
        let last = failed.map(Err).or(end.then(|| Ok(Chunk::default())));
        if let Some(last) = last {
            let _ = ready.send(last);
            return;
        }
    }
}

impl BufRead for ReadAhead {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        if self.at == self.chunk.length && !self.ended {
            let broke_off = |_| io::Error::new(io::ErrorKind::InvalidData, "its decoder failed");
            let used = std::mem::replace(&mut self.chunk, self.chunks.recv().map_err(broke_off)??);
            self.at = 0;
            self.ended = self.chunk.length == 0;
            if used.length > 0 {
                let _ = self.used.send(used.bytes);
            }
        }
        Ok(&self.chunk.bytes[self.at..self.chunk.length])
    }

    fn consume(&mut self, bytes: usize) {
        self.at += bytes;
    }
}

impl Read for ReadAhead {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        read_held(self, buffer)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Three(u8, fn() -> io::Result<usize>);

    impl Read for Three {
        fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
            if self.0 == 3 {
                return (self.1)();
            }
            self.0 += 1;
            buffer[0] = self.0;
            Ok(1)
        }
    }

    #[test]
    fn only_an_end_is_an_end() {
        type End = fn() -> io::Result<usize>;
        let ends: [(End, bool); 3] =
            [(|| Ok(0), true), (|| Err(io::Error::other("broken")), false), (|| panic!("as made in this test"), false)];
        for (end, well) in ends {
            let (mut ahead, mut read) = (ReadAhead::new(Box::new(Three(0, end))).unwrap(), Vec::new());
            assert_eq!(ahead.read_to_end(&mut read).is_ok(), well);
            assert!(!well || read == [1, 2, 3]);
        }
    }
}
