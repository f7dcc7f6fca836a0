//! The header in front of an entry of a zip, held against what the directory says of it: some readers go by the one, some by
//! the other (PKWARE APPNOTE 4.3.7, 4.3.12).

use std::io::{self, Read, Seek, SeekFrom};
use std::path::Path;

use super::error::ArchiveError;
use super::segment::Segment;

const MARK: &[u8] = b"PK\x03\x04";

/// The length of a header without name and extra fields.
pub(super) const LENGTH: u64 = 30;

pub(super) struct InDirectory<'a> {
    pub at: u64,
    pub name: &'a [u8],
    pub method: Option<u16>,
    pub encrypted: bool,
}

/// Refuses an entry whose own header says something else.
/// `header` is room that is used again.
pub(super) fn compare(
    file: &Path,
    from: &mut (impl Read + Seek),
    entry: &InDirectory<'_>,
    header: &mut Vec<u8>,
) -> Result<(), ArchiveError> {
    let broken = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    header.resize(usize::try_from(LENGTH).unwrap_or_default() + entry.name.len(), 0);
    from.seek(SeekFrom::Start(entry.at)).map_err(broken)?;
    from.read_exact(header).map_err(broken)?;
    let (fixed, name) = header.split_at(30);
    if !fixed.starts_with(MARK) {
        return Err(broken(io::Error::new(
            io::ErrorKind::InvalidData,
            "no local header where the zip directory points",
        )));
    }
    let short = |at: usize| u16::from_le_bytes([fixed[at], fixed[at + 1]]);
    // Packers of Windows may write the separators of names in two ways.
    let is_separator = |byte: u8| matches!(byte, b'/' | b'\\');
    let same = |(one, other): (&u8, &u8)| one == other || is_separator(*one) && is_separator(*other);
    let is_called_so = usize::from(short(26)) == entry.name.len() && name.iter().zip(entry.name).all(same);
    let what = match () {
        () if !is_called_so => "name",
        () if Some(short(8)) != entry.method => "compression method",
        () if (short(6) & 1 == 1) != entry.encrypted => "encryption flag",
        () => return Ok(()),
    };
    Err(ArchiveError::TwoHeaders { entry: String::from_utf8_lossy(entry.name).into_owned(), what })
}

/// Refuses a file that begins with the header of an entry that the directory does not know: another archive stands in front.
pub(super) fn check_front(file: &Path, segment: &mut Segment, first: Option<u64>) -> Result<(), ArchiveError> {
    let mut begin = [0; 4];
    let is_read = segment.seek(SeekFrom::Start(0)).and_then(|_| segment.read_exact(&mut begin)).is_ok();
    match first {
        Some(1..) if is_read && begin == MARK => Err(ArchiveError::InFront(file.to_owned())),
        _ => Ok(()),
    }
}
