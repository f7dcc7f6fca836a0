//! Decoders that are not ours, on bytes that may be spoiled: in threads of their own, so that one that panics is told as
//! damage.

use std::io;
use std::thread::{self, Builder};

/// The name of those threads. Whoever reports panics can leave theirs out.
pub const DECODER_THREAD: &str = "decoder";

/// Starts a decoder. If it panics, its channel closes.
pub(super) fn start(decode: impl FnOnce() + Send + 'static) -> io::Result<()> {
    Builder::new().name(DECODER_THREAD.to_owned()).spawn(decode).map(drop)
}

pub fn run<T: Send>(decode: impl FnOnce() -> io::Result<T> + Send) -> io::Result<T> {
    thread::scope(|scope| {
        let running = Builder::new().name(DECODER_THREAD.to_owned()).spawn_scoped(scope, decode)?;
        running.join().unwrap_or_else(|_| Err(io::Error::new(io::ErrorKind::InvalidData, "its decoder failed")))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_panic_is_an_error() {
        assert_eq!(run(|| Ok(3)).unwrap(), 3);
        assert_eq!(
            run(|| -> io::Result<()> { panic!("as made in this test") }).unwrap_err().to_string(),
            "its decoder failed"
        );
    }
}
