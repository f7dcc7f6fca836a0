//! bzip2, its blocks decoded side by side.
//!
//! A stream is `BZh` and a digit for the block size, then blocks one behind the other, each beginning at any bit with a
//! mark of 48 bits and its own checksum, then an end mark with the checksum of all, filled up to a whole byte. A block
//! needs nothing of the others (the layout is that of the reference decoder; the format has no written standard).
//!
//! Where anything is not as expected, the usual decoder reads the file from its beginning and has the last word.

use std::io::{self, BufReader, Read};
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;

use bzip2::bufread::BzDecoder;

use super::guard;
use super::members::Members;
use super::oddities::ReadWarnings;
use super::segment::Segment;

const BLOCK: u64 = 0x3141_5926_5359;
const END: u64 = 0x1772_4538_5090;
/// The length of a mark, in bits.
const MARK_BITS: u64 = 48;
/// The length of a mark with the checksum behind it, in bits.
const MARK_AND_CHECKSUM: u64 = MARK_BITS + 32;
/// No packed block is longer, in bytes: 900,000 bytes of content that did not pack at all.
const LONGEST_BLOCK: usize = 2 << 20;
/// How much is read at once, in bytes.
const READ: usize = 1 << 18;
/// The size of a piece of a decoded block, in bytes. A block of equal bytes unpacks to many of them.
const PIECE: usize = 1 << 20;
/// How many pieces of a block may be ready and unread.
const PIECES_READY: usize = 2;
/// More threads would hold more memory than unpacking may take.
const MOST_THREADS: usize = 8;

pub(super) struct Blocks {
    packed: Segment,
    parts: Receiver<Part>,
    block: Option<Receiver<Piece>>,
    piece: Vec<u8>,
    at: usize,
    /// Bytes handed on so far.
    given: u64,
    /// The usual decoder, once it has taken over.
    serial: Option<Serial>,
    oddities: ReadWarnings,
}

/// The usual decoder, of one stream behind the other.
type Serial = Members<BzDecoder<BufReader<Segment>>>;

enum Part {
    Block(Receiver<Piece>),
    Whole,
}

enum Piece {
    Bytes(Vec<u8>),
    Whole,
}

/// A block made a stream of its own, and where its pieces go.
type Job = (Vec<u8>, SyncSender<Piece>);

impl Blocks {
    pub fn new(packed: Segment, oddities: ReadWarnings) -> io::Result<Self> {
        let threads = thread::available_parallelism().map_or(2, usize::from).min(MOST_THREADS);
        let (add_part, parts) = sync_channel(threads);
        let (add_job, jobs) = sync_channel::<Job>(1);
        let jobs = Arc::new(Mutex::new(jobs));
        for _ in 0..threads {
            let jobs = Arc::clone(&jobs);
            guard::start(move || {
                loop {
                    let job = jobs.lock().unwrap_or_else(PoisonError::into_inner).recv();
                    let Ok((stream, pieces)) = job else { return };
                    decode(&stream, &pieces);
                }
            })?;
        }
        let from = packed.clone();
        guard::start(move || Splitter::new(from).split(&add_part, &add_job))?;
        Ok(Self { packed, parts, block: None, piece: Vec::new(), at: 0, given: 0, serial: None, oddities })
    }

    /// Lets the usual decoder go on behind what was handed on already.
    fn go_serial(&mut self) -> io::Result<&mut Serial> {
        let mut decoder = Serial::new(&self.packed, &self.oddities);
        io::copy(&mut decoder.by_ref().take(self.given), &mut io::sink())?;
        Ok(self.serial.insert(decoder))
    }
}

impl Read for Blocks {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        loop {
            if let Some(serial) = &mut self.serial {
                return serial.read(buffer);
            }
            if self.at < self.piece.len() {
                let most = buffer.len().min(self.piece.len() - self.at);
                buffer[..most].copy_from_slice(&self.piece[self.at..self.at + most]);
                self.at += most;
                self.given += most as u64;
                return Ok(most);
            }
            // A closed channel means that the fast path gave up; fall back.
            match self.block.as_ref().map(Receiver::recv) {
                Some(Ok(Piece::Bytes(piece))) => (self.piece, self.at) = (piece, 0),
                Some(Ok(Piece::Whole)) => self.block = None,
                Some(Err(_)) => return self.go_serial()?.read(buffer),
                None => match self.parts.recv() {
                    Ok(Part::Block(pieces)) => self.block = Some(pieces),
                    Ok(Part::Whole) => return Ok(0),
                    Err(_) => return self.go_serial()?.read(buffer),
                },
            }
        }
    }
}

/// Decodes one block. Whoever reads learns of a failure by the missing end.
fn decode(stream: &[u8], pieces: &SyncSender<Piece>) {
    let mut decoder = BzDecoder::new(stream);
    loop {
        let mut piece = Vec::new();
        match decoder.by_ref().take(PIECE as u64).read_to_end(&mut piece) {
            Ok(0) => {
                let _ = pieces.send(Piece::Whole);
                return;
            }
            Ok(_) if pieces.send(Piece::Bytes(piece)).is_ok() => {}
            _ => return,
        }
    }
}

struct Splitter {
    input: Segment,
    /// The bytes from the one on in which the block at hand begins.
    kept: Vec<u8>,
    begins: u64,
    /// The next byte to look at, counted within `kept`.
    at: usize,
    /// The last eight bytes looked at.
    last: u64,
    /// For each value of a byte, at which shifts it can be the last but one of a block's mark (lower half) or of the end's.
    could_be: [u16; 256],
}

impl Splitter {
    fn new(input: Segment) -> Self {
        let mut could_be = [0; 256];
        for shift in 0..8 {
            for (half, mark) in [BLOCK, END].into_iter().enumerate() {
                could_be[usize::from((mark >> (8 - shift)).to_le_bytes()[0])] |= 1 << (8 * half + shift);
            }
        }
        Self { input, kept: Vec::new(), begins: 0, at: 0, last: 0, could_be }
    }

    /// Hands on the blocks; without [`Part::Whole`] at the end where something was not as expected.
    fn split(mut self, parts: &SyncSender<Part>, jobs: &SyncSender<Job>) {
        let _ = self.streams(parts, jobs);
    }

    /// `None` where it had to be given up.
    fn streams(&mut self, parts: &SyncSender<Part>, jobs: &SyncSender<Job>) -> Option<()> {
        let mut position = 0;
        loop {
            let Some(header) = self.bytes(position, 4)? else {
                // A file without any stream is not one.
                return if position > 0 { parts.send(Part::Whole).ok() } else { None };
            };
            if !header.starts_with(b"BZh") {
                return None;
            }
            let mut begin = None;
            let mut checksum = 0u32;
            self.seek(position + 4);
            loop {
                let (is_block, bit) = self.next_mark()?;
                match begin {
                    Some(begin) => {
                        let own = self.number(begin + MARK_BITS)?;
                        checksum = checksum.rotate_left(1) ^ own;
                        let (add, pieces) = sync_channel(PIECES_READY);
                        jobs.send((self.alone(&header, begin, bit, own), add)).ok()?;
                        parts.send(Part::Block(pieces)).ok()?;
                    }
                    None if bit != (position + 4) * 8 => return None,
                    None => {}
                }
                if !is_block {
                    self.bytes((bit + MARK_AND_CHECKSUM).div_ceil(8) - 1, 1)??;
                    if self.number(bit + MARK_BITS)? != checksum {
                        return None;
                    }
                    position = (bit + MARK_AND_CHECKSUM).div_ceil(8);
                    break;
                }
                begin = Some(bit);
                self.forget(bit / 8);
            }
        }
    }

    /// So many bytes from a place on; `None` inside where the file ends there.
    fn bytes(&mut self, position: u64, length: usize) -> Option<Option<Vec<u8>>> {
        let from = usize::try_from(position.checked_sub(self.begins)?).ok()?;
        while self.kept.len() < from + length {
            if !self.more()? {
                return (self.kept.len() <= from).then_some(None);
            }
        }
        Some(Some(self.kept[from..from + length].to_vec()))
    }

    /// Reads on; whether there was more.
    fn more(&mut self) -> Option<bool> {
        let read = self.input.by_ref().take(READ as u64).read_to_end(&mut self.kept).ok()?;
        Some(read > 0)
    }

    fn seek(&mut self, position: u64) {
        self.forget(position);
        (self.at, self.last) = (0, 0);
    }

    fn forget(&mut self, position: u64) {
        let bytes = usize::try_from(position.saturating_sub(self.begins)).unwrap_or(usize::MAX).min(self.kept.len());
        self.kept.drain(..bytes);
        self.begins += bytes as u64;
        self.at = self.at.saturating_sub(bytes);
    }

    /// The next mark: whether it is a block's, and its first bit in the file.
    fn next_mark(&mut self) -> Option<(bool, u64)> {
        loop {
            while let Some(byte) = self.kept.get(self.at) {
                self.last = self.last << 8 | u64::from(*byte);
                self.at += 1;
                let mut shifts = self.could_be[usize::from(self.last.to_le_bytes()[1])];
                while shifts != 0 {
                    let shift = shifts.trailing_zeros();
                    shifts &= shifts - 1;
                    let mark = if shift < 8 { BLOCK } else { END };
                    if (self.last >> (shift % 8)) & ((1 << MARK_BITS) - 1) == mark {
                        let behind = (self.begins + self.at as u64) * 8 - u64::from(shift % 8);
                        return Some((shift < 8, behind - MARK_BITS));
                    }
                }
            }
            if self.kept.len() > LONGEST_BLOCK || !self.more()? {
                return None;
            }
        }
    }

    /// The 32 bits at a place.
    fn number(&self, bit: u64) -> Option<u32> {
        let from = usize::try_from((bit / 8).checked_sub(self.begins)?).ok()?;
        let five = self.kept.get(from..from + 5).map(<[u8]>::to_vec).or_else(|| {
            // At the file's very end there may be only four.
            Some([self.kept.get(from..from + 4)?, &[0]].concat())
        })?;
        let wide = five.iter().fold(0u64, |wide, byte| wide << 8 | u64::from(*byte));
        u32::try_from((wide >> (8 - bit % 8)) & u64::from(u32::MAX)).ok()
    }

    fn alone(&self, header: &[u8], begin: u64, end: u64, checksum: u32) -> Vec<u8> {
        // Both lie within what is kept, whose length fits.
        let place = |bit: u64| usize::try_from(bit / 8 - self.begins).unwrap_or(usize::MAX);
        let shift = begin % 8;
        let whole = usize::try_from((end - begin) / 8).unwrap_or(usize::MAX);
        let rest = (end - begin) % 8;
        let mut stream = Vec::with_capacity(header.len() + whole + 11);
        stream.extend_from_slice(header);
        let from = &self.kept[place(begin)..];
        if shift == 0 {
            stream.extend_from_slice(&from[..whole]);
        } else {
            stream.extend(from.windows(2).take(whole).map(|two| two[0] << shift | two[1] >> (8 - shift)));
        }
        let pair = u16::from_be_bytes([from[whole], from.get(whole + 1).copied().unwrap_or(0)]);
        let last = u128::from((pair << shift) >> 8 >> (8 - rest));
        let tail = (last << MARK_AND_CHECKSUM | u128::from(END) << 32 | u128::from(checksum)) << ((8 - rest) % 8);
        let bytes = if rest == 0 { 10 } else { 11 };
        stream.extend_from_slice(&tail.to_be_bytes()[16 - bytes..]);
        stream
    }
}

#[cfg(test)]
mod tests {
    use std::io::Write as _;

    use super::*;
    use proptest::prelude::*;

    /// Some content that packs well and some that does not, so that blocks begin at every bit.
    fn content(seed: u32, bytes: usize) -> Vec<u8> {
        let mut seed = seed;
        let mut noise = || {
            seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            seed.to_be_bytes()[0]
        };
        (0..bytes).map(|at| if at % 3000 < 2000 { b"abcdefg"[at % 7] } else { noise() }).collect()
    }

    fn pack(content: &[u8]) -> Vec<u8> {
        let mut packed = bzip2::write::BzEncoder::new(Vec::new(), bzip2::Compression::fast());
        packed.write_all(content).unwrap();
        packed.finish().unwrap()
    }

    fn segment(bytes: &[u8]) -> Segment {
        let mut file = tempfile::tempfile().unwrap();
        file.write_all(bytes).unwrap();
        Segment::new(Arc::new(file), 0, bytes.len() as u64)
    }

    /// What is read, and whether the usual decoder was needed.
    fn read(bytes: &[u8]) -> (io::Result<Vec<u8>>, bool) {
        let (mut blocks, mut content) = (Blocks::new(segment(bytes), ReadWarnings::default()).unwrap(), Vec::new());
        let read = blocks.read_to_end(&mut content).map(|_| content);
        (read, blocks.serial.is_some())
    }

    fn read_serially(bytes: &[u8]) -> io::Result<Vec<u8>> {
        let mut content = Vec::new();
        bzip2::bufread::MultiBzDecoder::new(bytes).read_to_end(&mut content).map(|_| content)
    }

    #[test]
    fn blocks_come_in_order_without_the_usual_decoder() {
        let (one, other) = (content(1, 950_000), content(2, 230_000));
        let equal = vec![0; 30 << 20];
        for parts in [vec![&one], vec![&one, &other, &one], vec![&equal, &other], vec![&Vec::new(), &other]] {
            let packed: Vec<u8> = parts.iter().flat_map(|part| pack(part)).collect();
            let (read, serial) = read(&packed);
            assert!(read.unwrap() == parts.into_iter().flatten().copied().collect::<Vec<u8>>());
            assert!(!serial);
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

        #[test]
        fn spoiled_files_are_read_as_the_usual_decoder_reads_them(
            at in any::<proptest::sample::Index>(), byte: u8, cut in any::<bool>(), behind in 0usize..12
        ) {
            let mut packed = pack(&content(3, 240_000));
            let at = at.index(packed.len());
            packed[at] = byte;
            if cut {
                packed.truncate(at);
            } else {
                packed.extend(std::iter::repeat_n(byte, behind));
            }
            // What follows the last stream and is none is left alone.
            let theirs = read_serially(&packed).or_else(|e| match cut {
                true => Err(e),
                false => read_serially(&packed[..packed.len() - behind]),
            });
            let same = match (read(&packed).0, theirs) {
                (Ok(ours), Ok(theirs)) => ours == theirs,
                (ours, theirs) => ours.is_err() && theirs.is_err(),
            };
            prop_assert!(same);
        }
    }
}
