//! Compressed members one behind the other: zero bytes behind them are padding, and what else stands there is noted.

use std::io::{self, BufRead as _, BufReader, Read, Seek as _};

use super::oddities::ReadWarnings;
use super::segment::Segment;

pub(super) trait Member: Read {
    const BEGIN: &'static [u8];

    fn begin(packed: BufReader<Segment>) -> Self;

    fn end(self) -> BufReader<Segment>;
}

impl Member for flate2::bufread::GzDecoder<BufReader<Segment>> {
    const BEGIN: &'static [u8] = &[0x1f, 0x8b];

    fn begin(packed: BufReader<Segment>) -> Self {
        Self::new(packed)
    }

    fn end(self) -> BufReader<Segment> {
        self.into_inner()
    }
}

impl Member for bzip2::bufread::BzDecoder<BufReader<Segment>> {
    const BEGIN: &'static [u8] = b"BZh";

    fn begin(packed: BufReader<Segment>) -> Self {
        Self::new(packed)
    }

    fn end(self) -> BufReader<Segment> {
        self.into_inner()
    }
}

pub(super) struct Members<D> {
    decoder: Option<D>,
    packed: Segment,
    oddities: ReadWarnings,
}

impl<D: Member> Members<D> {
    pub fn new(packed: &Segment, oddities: &ReadWarnings) -> Self {
        let reader = BufReader::with_capacity(1 << 18, packed.clone());
        Self { decoder: Some(D::begin(reader)), packed: packed.clone(), oddities: oddities.clone() }
    }

    /// Goes past zero bytes to the next member, where there is one.
    fn next(&mut self, mut reader: BufReader<Segment>) -> io::Result<()> {
        loop {
            let ahead = reader.fill_buf()?;
            let zeros = ahead.iter().take_while(|byte| **byte == 0).count();
            let is_end = ahead.is_empty();
            let is_padding = zeros == ahead.len();
            reader.consume(zeros);
            if is_end {
                return Ok(());
            }
            if !is_padding {
                break;
            }
        }
        let at = reader.stream_position()?;
        let mut begins = Vec::new();
        self.packed.part(at, D::BEGIN.len() as u64).read_to_end(&mut begins)?;
        if begins == D::BEGIN {
            self.decoder = Some(D::begin(reader));
        } else {
            self.oddities.bytes_behind(self.packed.length().saturating_sub(at));
        }
        Ok(())
    }
}

impl<D: Member> Read for Members<D> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        while let Some(decoder) = &mut self.decoder {
            let read = decoder.read(buffer)?;
            if read > 0 || buffer.is_empty() {
                return Ok(read);
            }
            if let Some(decoder) = self.decoder.take() {
                self.next(decoder.end())?;
            }
        }
        Ok(0)
    }
}
