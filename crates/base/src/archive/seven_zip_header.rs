//! What the directory of a 7z counts, looked at before anybody takes memory for it: nothing can be more than the bytes that
//! are there to describe it (7-Zip's `7zFormat.txt`).

use std::io::{self, BufReader, Read};

use super::compression;
use super::segment::Segment;

const SIGNATURE_HEADER: u64 = 32;

/// The most coders that a block has, and streams that a coder has; 7-Zip itself takes no more.
const MOST_CODERS: u64 = 32;

/// The longest directory, in bytes: its names are held in memory.
const LONGEST: u64 = 256 << 20;

const MOST_ENTRIES: u64 = 16 << 20;

/// The bytes that each entry has at least: a name of one character, and its end, in UTF-16.
const LEAST_OF_ENTRY: u64 = 4;

/// The method of LZMA, by which directories are packed.
const LZMA: &[u8] = &[3, 1, 1];

/// Kinds of what follows, each with the byte that announces it.
mod id {
    pub const END: u8 = 0x00;
    pub const HEADER: u8 = 0x01;
    pub const PROPERTIES: u8 = 0x02;
    pub const ADDITIONAL_STREAMS: u8 = 0x03;
    pub const MAIN_STREAMS: u8 = 0x04;
    pub const FILES: u8 = 0x05;
    pub const PACK_INFO: u8 = 0x06;
    pub const UNPACK_INFO: u8 = 0x07;
    pub const SUB_STREAMS: u8 = 0x08;
    pub const SIZE: u8 = 0x09;
    pub const CHECKSUM: u8 = 0x0a;
    pub const FOLDER: u8 = 0x0b;
    pub const UNPACK_SIZES: u8 = 0x0c;
    pub const UNPACK_STREAMS: u8 = 0x0d;
    pub const ENCODED_HEADER: u8 = 0x17;
}

/// Looks at the directory. A method that directories are not packed by is left to whoever decodes it.
pub(super) fn check(mut archive: Segment) -> io::Result<()> {
    let mut start = [0; 32];
    archive.part(0, SIGNATURE_HEADER).read_exact(&mut start)?;
    let number = |at: usize| u64::from_le_bytes(std::array::from_fn(|i| start[at + i]));
    let checksum = u32::from_le_bytes(std::array::from_fn(|i| start[8 + i]));
    if libdeflater::crc32(&start[12..]) != checksum {
        return Err(bad("the header at its beginning is damaged"));
    }
    let (offset, length) = (number(12), number(20));
    let lies_within = SIGNATURE_HEADER.checked_add(offset).and_then(|at| at.checked_add(length));
    if lies_within.is_none_or(|end| end > archive.length()) || length > LONGEST {
        return Err(bad("its directory is outside the file"));
    }
    if length == 0 {
        return Ok(());
    }
    let mut directory = read(archive.part(SIGNATURE_HEADER + offset, length), length)?;
    // A packed directory is described by another one, seldom more than once.
    for _ in 0..4 {
        let mut left = Cursor(&directory);
        match left.byte()? {
            id::HEADER => return header(&mut left),
            id::ENCODED_HEADER => {
                let packed = streams(&mut left)?;
                match unpacked(&mut archive, &packed)? {
                    Some(unpacked) => directory = unpacked,
                    None => return Ok(()),
                }
            }
            _ => return Err(bad("its directory has an unknown type")),
        }
    }
    Err(bad("its directory is packed too often"))
}

fn bad(what: &str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, what)
}

/// So many bytes, and no memory for any that are not there.
fn read(from: impl Read, length: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    from.take(length).read_to_end(&mut bytes)?;
    if bytes.len() as u64 == length { Ok(bytes) } else { Err(io::ErrorKind::UnexpectedEof.into()) }
}

struct Cursor<'a>(&'a [u8]);

impl<'a> Cursor<'a> {
    fn bytes(&mut self, count: u64) -> io::Result<&'a [u8]> {
        let count = usize::try_from(count).map_err(|_| bad("it claims more data than it has"))?;
        let (bytes, rest) = self.0.split_at_checked(count).ok_or_else(|| bad("it claims more data than it has"))?;
        self.0 = rest;
        Ok(bytes)
    }

    fn byte(&mut self) -> io::Result<u8> {
        Ok(self.bytes(1)?[0])
    }

    /// A number in as many bytes as its first one says.
    fn number(&mut self) -> io::Result<u64> {
        let first = self.byte()?;
        let mut value = 0;
        for place in 0..8_u32 {
            let mask = 0x80 >> place;
            if first & mask == 0 {
                return Ok(value | u64::from(first & (mask - 1)) << (8 * place));
            }
            value |= u64::from(self.byte()?) << (8 * place);
        }
        Ok(value)
    }

    /// How many of something follow, each of at least so many bytes.
    fn count(&mut self, least: u64) -> io::Result<u64> {
        let count = self.number()?;
        if count.checked_mul(least).is_none_or(|bytes| bytes > self.0.len() as u64) {
            return Err(bad("it claims more data than it has"));
        }
        Ok(count)
    }

    /// Which of so many things have a checksum, and the checksums; `true` for each that has.
    fn checksums(&mut self, count: u64) -> io::Result<Vec<bool>> {
        let has: Vec<bool> = if self.byte()? == 0 {
            let bits = self.bytes(count.div_ceil(8))?;
            (0..count).map(|at| bits[(at / 8) as usize] & (0x80 >> (at % 8)) != 0).collect()
        } else if count.checked_mul(4).is_none_or(|bytes| bytes > self.0.len() as u64) {
            return Err(bad("it claims more data than it has"));
        } else {
            (0..count).map(|_| true).collect()
        };
        self.bytes(4 * has.iter().filter(|has| **has).count() as u64)?;
        Ok(has)
    }

    fn expect(&mut self, id: u8) -> io::Result<()> {
        if self.byte()? == id { Ok(()) } else { Err(bad("its directory is damaged")) }
    }
}

/// A method, and its properties.
type Coder = (Vec<u8>, Vec<u8>);

/// A packed stream: where it lies, how it is packed, and how long it is unpacked.
#[derive(Default)]
struct Packed {
    at: u64,
    sizes: Vec<u64>,
    /// Of the first block: its only coder with its properties, where there is one.
    coder: Option<Coder>,
    unpacked: u64,
}

fn header(left: &mut Cursor<'_>) -> io::Result<()> {
    loop {
        match left.byte()? {
            id::END => return Ok(()),
            id::PROPERTIES => loop {
                if left.byte()? == id::END {
                    break;
                }
                let length = left.number()?;
                left.bytes(length)?;
            },
            id::ADDITIONAL_STREAMS | id::MAIN_STREAMS => drop(streams(left)?),
            id::FILES => {
                let count = left.count(LEAST_OF_ENTRY)?;
                // What follows is read by its length, or a bit for each.
                return if count > MOST_ENTRIES { Err(bad("it has too many entries")) } else { Ok(()) };
            }
            _ => return Err(bad("its directory is damaged")),
        }
    }
}

fn streams(left: &mut Cursor<'_>) -> io::Result<Packed> {
    let mut packed = Packed::default();
    let mut blocks = Vec::new();
    loop {
        match left.byte()? {
            id::END => return Ok(packed),
            id::PACK_INFO => pack_info(left, &mut packed)?,
            id::UNPACK_INFO => blocks = unpack_info(left, &mut packed)?,
            id::SUB_STREAMS => sub_streams(left, &blocks)?,
            _ => return Err(bad("its directory is damaged")),
        }
    }
}

fn pack_info(left: &mut Cursor<'_>, packed: &mut Packed) -> io::Result<()> {
    packed.at = left.number()?;
    let count = left.count(1)?;
    loop {
        match left.byte()? {
            id::END => return Ok(()),
            id::SIZE => packed.sizes = (0..count).map(|_| left.number()).collect::<io::Result<_>>()?,
            id::CHECKSUM => drop(left.checksums(count)?),
            _ => return Err(bad("its directory is damaged")),
        }
    }
}

fn unpack_info(left: &mut Cursor<'_>, packed: &mut Packed) -> io::Result<Vec<bool>> {
    left.expect(id::FOLDER)?;
    let count = left.count(2)?;
    left.expect(0)?;
    let mut outputs = Vec::new();
    for index in 0..count {
        let (streams, coder) = block(left)?;
        outputs.push(streams);
        if index == 0 {
            packed.coder = coder;
        }
    }
    left.expect(id::UNPACK_SIZES)?;
    for (index, outputs) in outputs.iter().enumerate() {
        for output in 0..*outputs {
            let size = left.number()?;
            if (index, output) == (0, 0) {
                packed.unpacked = size;
            }
        }
    }
    let mut has_checksum = vec![false; outputs.len()];
    loop {
        match left.byte()? {
            id::END => return Ok(has_checksum),
            id::CHECKSUM => has_checksum = left.checksums(count)?,
            _ => return Err(bad("its directory is damaged")),
        }
    }
}

/// How many streams come out of a block, and its coder where it has only one.
fn block(left: &mut Cursor<'_>) -> io::Result<(u64, Option<Coder>)> {
    let within = |count: u64| if count > MOST_CODERS { Err(bad("a block has too many coders")) } else { Ok(count) };
    let count = within(left.number()?)?;
    let (mut inputs, mut outputs, mut only) = (0, 0, None);
    for _ in 0..count {
        let bits = left.byte()?;
        let method = left.bytes(u64::from(bits & 0x0f))?.to_vec();
        let is_simple = bits & 0x10 == 0;
        inputs += if is_simple { 1 } else { within(left.number()?)? };
        outputs += if is_simple { 1 } else { within(left.number()?)? };
        let length = if bits & 0x20 == 0 { 0 } else { left.number()? };
        only = Some((method, left.bytes(length)?.to_vec()));
    }
    let pairs = u64::saturating_sub(outputs, 1);
    for _ in 0..2 * pairs {
        left.number()?;
    }
    let packed = u64::saturating_sub(inputs, pairs);
    for _ in 0..if packed > 1 { packed } else { 0 } {
        left.number()?;
    }
    Ok((outputs, only.filter(|_| count == 1)))
}

fn sub_streams(left: &mut Cursor<'_>, blocks: &[bool]) -> io::Result<()> {
    let mut counts = vec![1; blocks.len()];
    let mut next = left.byte()?;
    if next == id::UNPACK_STREAMS {
        for count in &mut counts {
            // Of each stream but the last its size is told.
            *count = left.number()?;
            if count.saturating_sub(1) > left.0.len() as u64 {
                return Err(bad("it claims more data than it has"));
            }
        }
        next = left.byte()?;
    }
    if next == id::SIZE {
        for _ in 0..counts.iter().map(|count| count.saturating_sub(1)).sum::<u64>() {
            left.number()?;
        }
        next = left.byte()?;
    } else if counts.iter().any(|count| *count > 1) {
        return Err(bad("the sizes of its entries are missing"));
    }
    if next == id::CHECKSUM {
        let without = counts.iter().zip(blocks).filter(|(count, has)| **count != 1 || !**has);
        left.checksums(without.map(|(count, _)| count).sum())?;
        next = left.byte()?;
    }
    if next == id::END { Ok(()) } else { Err(bad("its directory is damaged")) }
}

/// The packed directory; `None` where it is packed in a way that is not looked into here.
fn unpacked(archive: &mut Segment, packed: &Packed) -> io::Result<Option<Vec<u8>>> {
    let (Some((method, properties)), Some(size)) = (&packed.coder, packed.sizes.first()) else { return Ok(None) };
    if packed.unpacked > LONGEST {
        return Err(bad("its directory is too long"));
    }
    let at = SIGNATURE_HEADER.checked_add(packed.at).ok_or_else(|| bad("its directory is outside the file"))?;
    let stream = archive.part(at, *size);
    if method.is_empty() || method == &[0] {
        return read(stream, packed.unpacked).map(Some);
    }
    if method != LZMA || properties.len() != 5 {
        return Ok(None);
    }
    let head = [&properties[..], &packed.unpacked.to_le_bytes()].concat();
    let decoder = compression::lzma(BufReader::new(io::Cursor::new(head).chain(stream)))?;
    read(decoder, packed.unpacked).map(Some)
}

#[cfg(test)]
mod tests {
    use std::fs::File;
    use std::sync::Arc;

    use proptest::prelude::*;

    use super::*;

    fn with_directory(directory: &[u8]) -> Segment {
        let mut start = Vec::new();
        start.extend(0_u64.to_le_bytes());
        start.extend((directory.len() as u64).to_le_bytes());
        start.extend(libdeflater::crc32(directory).to_le_bytes());
        let mut bytes = b"7z\xbc\xaf\x27\x1c\0\x04".to_vec();
        bytes.extend(libdeflater::crc32(&start).to_le_bytes());
        bytes.extend(start);
        bytes.extend(directory);
        let file = tempfile::NamedTempFile::new().unwrap();
        std::fs::write(file.path(), &bytes).unwrap();
        Segment::new(Arc::new(File::open(file.path()).unwrap()), 0, bytes.len() as u64)
    }

    #[test]
    fn what_is_counted_has_to_be_there() {
        let trillion = [0xfc, 0, 0, 0, 0x10, 0xa5, 0xd4, 0xe8];
        let directory = |parts: &[&[u8]]| parts.concat();
        for (bytes, is_well) in [
            (vec![id::HEADER, id::END], true),
            (directory(&[&[id::HEADER, id::FILES, 1, 0x11, 5, 0, b'a', 0, 0, 0, 0, 0]]), true),
            (directory(&[&[id::HEADER, id::FILES], &trillion, &[0, 0]]), false),
            (directory(&[&[id::HEADER, id::MAIN_STREAMS, id::PACK_INFO, 0], &trillion, &[id::SIZE]]), false),
            (directory(&[&[id::HEADER, id::MAIN_STREAMS, id::UNPACK_INFO, id::FOLDER], &trillion]), false),
            (directory(&[&[id::HEADER, id::PROPERTIES, 9], &trillion]), false),
            (directory(&[&[id::ENCODED_HEADER, id::END]]), true),
            (vec![9], false),
        ] {
            assert_eq!(check(with_directory(&bytes)).is_ok(), is_well, "{bytes:?}");
        }
    }

    proptest! {
        #[test]
        fn no_directory_ends_the_program(bytes in prop::collection::vec(any::<u8>(), 1..60)) {
            let _ = check(with_directory(&[&[id::HEADER][..], &bytes].concat()));
            let _ = check(with_directory(&[&[id::ENCODED_HEADER][..], &bytes].concat()));
        }
    }
}
