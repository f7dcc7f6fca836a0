//! zstd, with the checksums of its frames computed by whoever reads what was decoded: decoding is the longest work, and
//! a thread that does nothing else is the sooner done.

use std::collections::VecDeque;
use std::io::{self, BufRead, Read};
use std::sync::{Arc, Mutex, PoisonError};

use xxhash_rust::xxh64::Xxh64;
use zstd::zstd_safe::{self, DCtx, DParameter, InBuffer, OutBuffer};

/// Long-distance windows, as the utility's `--long` makes them.
const LARGEST_WINDOW: u32 = 30;

/// The frame's own mark, in little-endian order ("Zstandard Compression and the application/zstd Media Type", RFC 8878,
/// 3.1.1); frames with another one are skipped.
const MAGIC: [u8; 4] = 0xfd2f_b528_u32.to_le_bytes();

/// The bit of the byte behind the mark that says that a checksum ends the frame (RFC 8878, 3.1.1.1.1).
const HAS_CHECKSUM: u8 = 1 << 2;

/// Where each frame ends in what is decoded, and its checksum: the lower half of XXH64 (RFC 8878, 3.1.1).
type Marks = Arc<Mutex<VecDeque<(u64, Option<u32>)>>>;

/// Decodes without looking at the checksums; hands them on.
pub(super) struct Frames<R> {
    raw: R,
    decoder: DCtx<'static>,
    marks: Marks,
    /// The first bytes of the frame that is being decoded.
    head: Vec<u8>,
    /// The last four bytes that were taken.
    last: [u8; 4],
    made: u64,
}

/// Reads what [`Frames`] has decoded, and compares the checksums.
pub(super) struct Verified<R> {
    decoded: R,
    marks: Marks,
    hash: Xxh64,
    at: u64,
}

/// The two ends: what decodes, and what makes of a reader of that one which compares.
pub(super) fn frames<R: BufRead>(raw: R) -> io::Result<Frames<R>> {
    let mut decoder = DCtx::create();
    for parameter in [DParameter::WindowLogMax(LARGEST_WINDOW), DParameter::ForceIgnoreChecksum(true)] {
        decoder.set_parameter(parameter).map_err(failed)?;
    }
    Ok(Frames { raw, decoder, marks: Marks::default(), head: Vec::new(), last: [0; 4], made: 0 })
}

fn failed(code: usize) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, zstd_safe::get_error_name(code))
}

impl<R> Frames<R> {
    /// A reader of what this decodes, directly or by way of another thread.
    pub fn verified<D>(self, way: impl FnOnce(Self) -> io::Result<D>) -> io::Result<Verified<D>> {
        let marks = Arc::clone(&self.marks);
        Ok(Verified { decoded: way(self)?, marks, hash: Xxh64::new(0), at: 0 })
    }
}

impl<R: BufRead> Read for Frames<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if buffer.is_empty() {
            return Ok(0);
        }
        loop {
            let input = self.raw.fill_buf()?;
            let is_end = input.is_empty();
            if is_end && self.head.is_empty() {
                return Ok(0);
            }
            let (mut from, mut into) = (InBuffer::around(input), OutBuffer::around(&mut *buffer));
            let hint = self.decoder.decompress_stream(&mut into, &mut from).map_err(failed)?;
            let (used, made) = (from.pos, into.pos());
            let taken = &input[..used];
            self.head.extend(taken.iter().take(5 - self.head.len().min(5)));
            for byte in &taken[used.saturating_sub(4)..] {
                self.last.rotate_left(1);
                self.last[3] = *byte;
            }
            self.raw.consume(used);
            self.made += made as u64;
            if hint == 0 {
                let has_checksum = self.head.get(4).is_some_and(|flags| flags & HAS_CHECKSUM != 0);
                let is_plain = self.head.starts_with(&MAGIC);
                let checksum = (is_plain && has_checksum).then(|| u32::from_le_bytes(self.last));
                self.marks.lock().unwrap_or_else(PoisonError::into_inner).push_back((self.made, checksum));
                self.head.clear();
            }
            if made > 0 {
                return Ok(made);
            }
            if is_end && hint != 0 {
                return Err(io::Error::new(io::ErrorKind::UnexpectedEof, "it ends in the middle of a frame"));
            }
        }
    }
}

impl<R: Read> Read for Verified<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.decoded.read(buffer)?;
        let mut new = &buffer[..read];
        // A frame's mark is there before anything of the next one is.
        loop {
            let end = self.marks.lock().unwrap_or_else(PoisonError::into_inner).front().copied();
            let Some((end, checksum)) = end.filter(|(end, _)| end - self.at <= new.len() as u64) else { break };
            let (of_frame, rest) = new.split_at(usize::try_from(end - self.at).unwrap_or(new.len()));
            self.hash.update(of_frame);
            let seen = self.hash.digest() & u64::from(u32::MAX);
            if checksum.is_some_and(|expected| u64::from(expected) != seen) {
                let words = "the checksum of a frame does not match its content";
                return Err(io::Error::new(io::ErrorKind::InvalidData, words));
            }
            self.hash.reset(0);
            (self.at, new) = (end, rest);
            self.marks.lock().unwrap_or_else(PoisonError::into_inner).pop_front();
        }
        self.hash.update(new);
        self.at += new.len() as u64;
        Ok(read)
    }
}

#[cfg(test)]
mod tests {
    use std::io::{BufReader, Write as _};

    use proptest::prelude::*;

    use super::*;

    fn frame(content: &[u8], checksum: bool) -> Vec<u8> {
        let mut encoder = zstd::Encoder::new(Vec::new(), 3).unwrap();
        encoder.include_checksum(checksum).unwrap();
        encoder.write_all(content).unwrap();
        encoder.finish().unwrap()
    }

    fn read(packed: &[u8], buffer: usize) -> io::Result<Vec<u8>> {
        let raw = BufReader::with_capacity(buffer, io::Cursor::new(packed.to_vec()));
        let mut content = Vec::new();
        frames(raw)?.verified(Ok)?.read_to_end(&mut content)?;
        Ok(content)
    }

    #[test]
    fn every_frame_is_read_and_its_checksum_compared() {
        let text = b"tide ".repeat(60_000);
        let skipped = [&0x184d_2a50_u32.to_le_bytes()[..], &7_u32.to_le_bytes(), b"skipped"].concat();
        let parts = [frame(&text, true), skipped, frame(b"", true), frame(b"ebb", false), frame(b"flood", true)];
        let (whole, expected) = (parts.concat(), [&text[..], b"ebbflood"].concat());
        for buffer in [1, 7, 4096, 1 << 18] {
            assert_eq!(read(&whole, buffer).unwrap(), expected, "{buffer}");
        }
        assert_eq!(read(b"", 16).unwrap(), b"");
        // A checksum that is not that of the content, of each frame that has one.
        let mut end = 0;
        for (part, has_checksum) in parts.iter().zip([true, false, true, false, true]) {
            end += part.len();
            let mut spoiled = whole.clone();
            spoiled[end - 1] ^= 1;
            if has_checksum {
                let error = read(&spoiled, 4096).unwrap_err();
                assert!(error.to_string().contains("checksum"), "{end}: {error}");
            }
        }
        for (spoiled, says) in [
            (whole[..whole.len() - 1].to_vec(), "middle of a frame"),
            (parts[0][..40].to_vec(), "middle of a frame"),
            ([&whole[..], b"else"].concat(), ""),
        ] {
            let error = read(&spoiled, 4096).unwrap_err();
            assert!(error.to_string().contains(says), "{error}");
        }
    }

    proptest! {
        #[test]
        fn what_was_packed_comes_back_and_what_was_spoiled_never_passes(
            contents in prop::collection::vec(prop::collection::vec(any::<u8>(), 0..3000), 1..4),
            buffer in 1_usize..5000,
            at in any::<prop::sample::Index>(),
            bit in 0_u32..8,
        ) {
            let packed: Vec<u8> = contents.iter().flat_map(|content| frame(content, true)).collect();
            let expected = contents.concat();
            prop_assert_eq!(&read(&packed, buffer).unwrap(), &expected);
            let mut spoiled = packed;
            let at = at.index(spoiled.len());
            spoiled[at] ^= 1 << bit;
            if let Ok(content) = read(&spoiled, buffer) {
                // The bit that says that there is a checksum, or one that is used for nothing, may be the one.
                prop_assert_eq!(content, expected);
            }
        }
    }
}
