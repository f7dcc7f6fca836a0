//! What may be around an archive or a single file: one compressed stream.

use std::io::{self, BufRead, BufReader, Read};

use liblzma::bufread::XzDecoder;
use serde::{Deserialize, Serialize};

use super::bzip2_blocks::Blocks;
use super::members::Members;
use super::oddities::ReadWarnings;
use super::segment::Segment;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Compression {
    /// Not at all; zip and 7z pack each entry for themselves.
    None,
    /// gzip (RFC 1952), of one member or several.
    Gzip,
    /// xz (The .xz File Format), of one stream or several.
    Xz,
    /// bzip2, of one stream or several.
    Bzip2,
    /// Zstandard (RFC 8878), of one frame or several.
    Zstd,
    Lzma,
}

/// Where a decoder stops asking for memory, in bytes: more than any preset of the formats needs.
const DECODER_MEMORY: u64 = 1 << 30;

impl Compression {
    pub fn of(head: &[u8]) -> Self {
        let begins = |magic: &[u8]| head.starts_with(magic);
        if begins(&[0x1f, 0x8b]) {
            Self::Gzip
        } else if begins(b"\xfd7zXZ\0") {
            Self::Xz
        } else if begins(b"BZh") && head.get(4..10).is_some_and(|block| block == b"1AY&SY" || block == b"\x17rE8P\x90")
        {
            Self::Bzip2
        } else if begins(&[0x28, 0xb5, 0x2f, 0xfd]) || is_skippable(head) {
            Self::Zstd
        } else if is_lzma(head) {
            Self::Lzma
        } else {
            Self::None
        }
    }

    pub fn name(self) -> &'static str {
        match self {
            Self::None => "nothing",
            Self::Gzip => "gzip",
            Self::Xz => "xz",
            Self::Bzip2 => "bzip2",
            Self::Zstd => "zstd",
            Self::Lzma => "lzma",
        }
    }

    /// A reader of what is inside, to the end of the last stream.
    pub(super) fn open(self, packed: Segment, oddities: &ReadWarnings) -> io::Result<Box<dyn Read + Send>> {
        if self == Self::Gzip {
            return Ok(Box::new(Members::<flate2::bufread::GzDecoder<_>>::new(&packed, oddities)));
        }
        let raw = BufReader::with_capacity(1 << 18, packed);
        Ok(match self {
            Self::None | Self::Gzip => Box::new(raw),
            Self::Xz => Box::new(XzStreams(Some(XzDecoder::new_stream(raw, many_threads()?)))),
            Self::Bzip2 => Box::new(Blocks::new(raw.into_inner(), oddities.clone())?),
            Self::Zstd => Box::new(zstd(raw)?),
            Self::Lzma => Box::new(lzma(raw)?),
        })
    }
}

/// Decodes zstd, with long-distance windows as the utility's --long makes them.
pub(super) fn zstd<R: BufRead>(packed: R) -> io::Result<impl Read> {
    let mut decoder = zstd::stream::read::Decoder::with_buffer(packed)?;
    decoder.window_log_max(30)?;
    Ok(decoder)
}

pub(super) fn lzma<R: BufRead>(packed: R) -> io::Result<impl Read> {
    Ok(XzDecoder::new_stream(packed, liblzma::stream::Stream::new_lzma_decoder(DECODER_MEMORY)?))
}

pub(super) fn xz<R: BufRead>(packed: R) -> io::Result<impl Read> {
    Ok(XzDecoder::new_stream(packed, liblzma::stream::Stream::new_stream_decoder(DECODER_MEMORY, 0)?))
}

/// xz streams one behind the other, zero bytes allowed between them (The .xz File Format, 2.2).
struct XzStreams(Option<XzDecoder<BufReader<Segment>>>);

impl Read for XzStreams {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        while let Some(decoder) = &mut self.0 {
            let read = decoder.read(buffer)?;
            if read > 0 || buffer.is_empty() {
                return Ok(read);
            }
            let Some(mut raw) = self.0.take().map(XzDecoder::into_inner) else { break };
            loop {
                let ahead = raw.fill_buf()?;
                let zeros = ahead.iter().take_while(|byte| **byte == 0).count();
                let (end, more) = (ahead.is_empty(), zeros < ahead.len());
                raw.consume(zeros);
                if end {
                    return Ok(0);
                }
                if more {
                    self.0 = Some(XzDecoder::new_stream(raw, many_threads()?));
                    break;
                }
            }
        }
        Ok(0)
    }
}

/// A decoder that takes the blocks of an xz stream side by side, where there are several.
fn many_threads() -> io::Result<liblzma::stream::Stream> {
    let threads = std::thread::available_parallelism().map_or(1, |n| u32::try_from(n.get()).unwrap_or(1));
    Ok(liblzma::stream::MtStreamBuilder::new()
        .threads(threads)
        .memlimit_threading(DECODER_MEMORY / 4)
        .memlimit_stop(DECODER_MEMORY)
        .decoder()?)
}

/// A frame of zstd that decoders pass over (RFC 8878, 3.1.2), with another frame behind it where that can be seen.
fn is_skippable(head: &[u8]) -> bool {
    let Some(([kind, rest @ ..], length)) = head.split_first_chunk::<4>().map(|(mark, rest)| (*mark, rest)) else {
        return false;
    };
    let is_marked = kind & 0xf0 == 0x50 && rest == [0x2a, 0x4d, 0x18];
    let Some((length, rest)) = length.split_first_chunk::<4>() else { return false };
    let next = usize::try_from(u32::from_le_bytes(*length)).ok().and_then(|length| rest.get(length..));
    is_marked && next.is_none_or(|next| next.len() < 4 || Compression::of(next) == Compression::Zstd)
}

/// The old format has no mark of its own: a properties byte (`lc`, `lp`, `pb`), the dictionary's size, and the size of
/// what is inside, or all ones (LZMA SDK, "lzma.txt").
fn is_lzma(head: &[u8]) -> bool {
    let Some((properties, rest)) = head.split_first() else { return false };
    let (Some(dictionary), Some(size)) = (rest.get(..4), rest.get(4..12)) else { return false };
    let dictionary = u32::from_le_bytes([dictionary[0], dictionary[1], dictionary[2], dictionary[3]]);
    let whole = dictionary.is_power_of_two() || (dictionary % 3 == 0 && (dictionary / 3).is_power_of_two());
    let known = size.iter().all(|byte| *byte == 0xff) || size[5..] == [0, 0, 0];
    *properties == 0x5d && dictionary >= 1 << 12 && whole && known
}
