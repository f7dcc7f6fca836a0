//! Decoding in a thread of its own, a few chunks ahead of whoever reads.

use std::io::{self, Read};
use std::sync::mpsc::{Receiver, Sender, SyncSender, channel, sync_channel};
use std::thread;

/// The size of a chunk, in bytes.
const CHUNK: usize = 1 << 20;
/// How many chunks may be ready and unread.
const READY: usize = 4;

/// Decoded bytes. The buffer keeps its full length from use to use, so that it is cleared only once.
#[derive(Default)]
struct Chunk {
    bytes: Vec<u8>,
    length: usize,
}

/// Reads what another thread has decoded; the thread ends when this is dropped.
pub(super) struct Ahead {
    chunks: Receiver<io::Result<Chunk>>,
    used: Sender<Vec<u8>>,
    chunk: Chunk,
    at: usize,
}

impl Ahead {
    /// Starts to read ahead.
    pub fn new(decoder: Box<dyn Read + Send>) -> Self {
        let (ready, chunks) = sync_channel(READY);
        let (used, empty) = channel();
        thread::spawn(move || decode(decoder, &ready, &empty));
        Self { chunks, used, chunk: Chunk::default(), at: 0 }
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
        let end = length < bytes.len();
        // An error comes after the bytes that were decoded before it.
        if length > 0 && ready.send(Ok(Chunk { bytes, length })).is_err() {
            return;
        }
        if let Some(e) = failed {
            let _ = ready.send(Err(e));
        }
        if end {
            return;
        }
    }
}

impl Read for Ahead {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        while self.at == self.chunk.length {
            let Ok(next) = self.chunks.recv() else { return Ok(0) };
            let used = std::mem::replace(&mut self.chunk, next?);
            self.at = 0;
            if used.length > 0 {
                let _ = self.used.send(used.bytes);
            }
        }
        let most = buffer.len().min(self.chunk.length - self.at);
        buffer[..most].copy_from_slice(&self.chunk.bytes[self.at..self.at + most]);
        self.at += most;
        Ok(most)
    }
}
