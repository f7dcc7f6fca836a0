//! Debian packages: an `ar` archive whose member `data.tar…` holds the files (deb(5)).

use std::io::{self, Read, Seek, SeekFrom};

use super::segment::Segment;

/// The beginning of a package: `ar`'s mark, then the member `debian-binary`.
pub(super) const MARK: &[u8] = b"!<arch>\ndebian-binary";

/// An `ar` header: name, five numbers, and two bytes at its end (deb(5), "FORMAT").
const HEADER: usize = 60;

/// Where the data member lies: its start and length.
pub(super) fn data(package: &mut Segment) -> io::Result<(u64, u64)> {
    let damaged = |words: &str| io::Error::new(io::ErrorKind::InvalidData, words.to_owned());
    let mut at = 8u64;
    loop {
        let mut header = [0; HEADER];
        package.seek(SeekFrom::Start(at))?;
        package.read_exact(&mut header).map_err(|_| damaged("the package has no member data.tar"))?;
        let number = std::str::from_utf8(&header[48..58]).ok().and_then(|text| text.trim_end().parse::<u64>().ok());
        let length = number.filter(|_| &header[58..] == b"`\n").ok_or_else(|| damaged("a member has no length"))?;
        let start = at + HEADER as u64;
        if header.starts_with(b"data.tar") {
            return Ok((start, length));
        }
        // Members begin at even places.
        at = start.checked_add(length + length % 2).ok_or_else(|| damaged("a member has no length"))?;
    }
}
