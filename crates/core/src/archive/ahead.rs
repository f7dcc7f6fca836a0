//! Decoding in a thread of its own, a few chunks ahead of whoever reads.

use std::io::{self, Read};
use std::sync::mpsc::{Receiver, Sender, SyncSender, channel, sync_channel};
use std::thread;

/// The size of a chunk, in bytes.
const CHUNK: usize = 1 << 20;
/// How many chunks may be ready and unread.
const READY: usize = 4;

/// Reads what another thread has decoded; the thread ends when this is dropped.
pub(super) struct Ahead {
    chunks: Receiver<io::Result<Vec<u8>>>,
    used: Sender<Vec<u8>>,
    chunk: Vec<u8>,
    at: usize,
}

impl Ahead {
    /// Starts to read ahead.
    pub fn new(decoder: Box<dyn Read + Send>) -> Self {
        let (ready, chunks) = sync_channel(READY);
        let (used, empty) = channel();
        thread::spawn(move || decode(decoder, &ready, &empty));
        Self { chunks, used, chunk: Vec::new(), at: 0 }
    }
}

fn decode(mut decoder: Box<dyn Read + Send>, ready: &SyncSender<io::Result<Vec<u8>>>, empty: &Receiver<Vec<u8>>) {
    loop {
        let mut chunk = empty.try_recv().unwrap_or_default();
        chunk.clear();
        let read = decoder.by_ref().take(CHUNK as u64).read_to_end(&mut chunk);
        let end = !matches!(read, Ok(1..));
        // An error comes after the bytes that were decoded before it.
        if !chunk.is_empty() && ready.send(Ok(chunk)).is_err() {
            return;
        }
        if let Err(e) = read {
            let _ = ready.send(Err(e));
        }
        if end {
            return;
        }
    }
}

impl Read for Ahead {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        while self.at == self.chunk.len() {
            let Ok(next) = self.chunks.recv() else { return Ok(0) };
            let used = std::mem::replace(&mut self.chunk, next?);
            self.at = 0;
            let _ = self.used.send(used);
        }
        let most = buffer.len().min(self.chunk.len() - self.at);
        buffer[..most].copy_from_slice(&self.chunk[self.at..self.at + most]);
        self.at += most;
        Ok(most)
    }
}
