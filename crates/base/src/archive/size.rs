//! What a file's format says beforehand: how long the file should be, and how much it holds.

use std::io::{self, Read as _, Seek as _, SeekFrom};

use super::compression::Compression;
use super::kinds::{BLOCK, Container};
use super::segment::{Buffered, Segment};
use super::{deb, seven_zip, zip};
use crate::program;

/// A file whose end is missing, with the length it should have where its beginning tells that.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct CutOff(pub Option<u64>);

/// Whether the end of a file is missing. Where there is compression around everything, its stream tells later.
pub(super) fn cut_off(
    container: Container,
    compression: Compression,
    head: &[u8],
    whole: &Segment,
) -> io::Result<Option<CutOff>> {
    let bytes = whole.length();
    let longer = |expected: Option<u64>| expected.filter(|expected| *expected > bytes).map(|e| CutOff(Some(e)));
    Ok(match container {
        Container::Zip if zip::end(&mut whole.clone())?.is_none() => Some(CutOff(None)),
        Container::Deb => {
            let (start, length) = deb::data(&mut whole.clone())?;
            longer(Some(start.saturating_add(length)))
        }
        // Two blocks of zero bytes end it (POSIX.1-2017, pax, "ustar Interchange Format"); without them a file that was
        // cut off between two entries would look whole.
        Container::Tar if compression == Compression::None => {
            let mut end = Vec::new();
            whole.part(bytes.saturating_sub(BLOCK as u64), BLOCK as u64).read_to_end(&mut end)?;
            end.iter().any(|byte| *byte != 0).then_some(CutOff(None))
        }
        Container::SevenZip => {
            let number = |at: usize| head.get(at..at + 8).and_then(|b| b.try_into().ok()).map(u64::from_le_bytes);
            // Where the header at the end lies, and how long it is (7zFormat.txt, "SignatureHeader").
            longer(number(12).zip(number(20)).map(|(offset, size)| offset.saturating_add(size).saturating_add(32)))
        }
        Container::Single if compression == Compression::None => {
            longer(program::expected_length(Buffered::new(whole.clone())))
        }
        _ => None,
    })
}

/// No tool packs better by so much.
const GZIP_RATIO: u64 = 50;

/// How many bytes the files of an archive take at the least; of a zip its directory tells more.
pub(super) fn content_bytes(container: Container, compression: Compression, archive: &Segment) -> u64 {
    let told = match (container, compression) {
        (Container::SevenZip, _) => seven_zip::content_bytes(archive.clone()),
        // At the end of the file (RFC 1952, "ISIZE"), where in one that is cut off something else stands.
        (_, Compression::Gzip) => {
            last(archive, 4).map(|size| little_endian(&size)).filter(|size| size / GZIP_RATIO <= archive.length())
        }
        (_, Compression::Xz) => xz_content(archive),
        (_, Compression::Zstd) => {
            first(archive, 18).and_then(|head| zstd::zstd_safe::get_frame_content_size(&head).ok().flatten())
        }
        (_, Compression::Lzma) => first(archive, 13).map(|head| little_endian(&head[5..])).filter(|s| *s != u64::MAX),
        _ => None,
    };
    told.unwrap_or(0).max(archive.length())
}

fn little_endian(bytes: &[u8]) -> u64 {
    bytes.iter().rev().fold(0, |number, byte| number << 8 | u64::from(*byte))
}

fn first(archive: &Segment, bytes: u64) -> Option<Vec<u8>> {
    let mut read = Vec::new();
    archive.part(0, bytes).read_to_end(&mut read).ok()?;
    (read.len() as u64 == bytes).then_some(read)
}

fn last(archive: &Segment, bytes: u64) -> Option<Vec<u8>> {
    let mut read = Vec::new();
    let mut archive = archive.clone();
    archive.seek(SeekFrom::Start(archive.length().checked_sub(bytes)?)).ok()?;
    archive.read_to_end(&mut read).ok()?;
    (read.len() as u64 == bytes).then_some(read)
}

/// What the index of the last stream says its blocks hold together (The .xz File Format, 2.1.2 and 4).
fn xz_content(archive: &Segment) -> Option<u64> {
    const FOOTER: u64 = 12;
    /// No file that is received has so many blocks, in bytes of its index.
    const LONGEST_INDEX: u64 = 1 << 20;
    let footer = last(archive, FOOTER)?;
    let length = (little_endian(&footer[4..8]) + 1) * 4;
    if !footer.ends_with(b"YZ") || length > LONGEST_INDEX {
        return None;
    }
    let index = last(archive, length + FOOTER)?;
    let mut bytes = index.strip_prefix(&[0])?.iter();
    let mut number = || {
        let mut number = 0;
        for place in 0..9 {
            let byte = bytes.next()?;
            number |= u64::from(byte & 0x7f) << (7 * place);
            if byte & 0x80 == 0 {
                return Some(number);
            }
        }
        None
    };
    let blocks = number()?;
    let mut sum = 0u64;
    for _ in 0..blocks.min(LONGEST_INDEX) {
        number()?;
        sum = sum.checked_add(number()?)?;
    }
    Some(sum)
}

#[cfg(test)]
mod tests {
    use std::io::Write;
    use std::sync::Arc;

    use super::*;

    fn segment(bytes: &[u8]) -> Segment {
        let mut file = tempfile::tempfile().unwrap();
        file.write_all(bytes).unwrap();
        Segment::new(Arc::new(file), 0, bytes.len() as u64)
    }

    #[test]
    fn streams_tell_how_much_they_hold() {
        let content: Vec<u8> = (0..300_000u32).map(|at| at.wrapping_mul(at).to_le_bytes()[1]).collect();
        let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
        gzip.write_all(&content).unwrap();
        let mut xz = Vec::new();
        liblzma::read::XzEncoder::new(content.as_slice(), 1).read_to_end(&mut xz).unwrap();
        let mut zstd = zstd::bulk::Compressor::new(3).unwrap();
        let zstd = zstd.compress(&content).unwrap();
        for (compression, packed) in [
            (Compression::Gzip, gzip.finish().unwrap()),
            (Compression::Xz, xz),
            (Compression::Zstd, zstd),
            (Compression::None, content.clone()),
        ] {
            assert_eq!(content_bytes(Container::Tar, compression, &segment(&packed)), 300_000, "{compression:?}");
        }
        for bytes in [&b""[..], b"x", b"12345678YZ", &[0xff; 40]] {
            for compression in [Compression::Xz, Compression::Zstd, Compression::Lzma] {
                assert_eq!(content_bytes(Container::Tar, compression, &segment(bytes)), bytes.len() as u64);
            }
        }
    }
}
