//! Files with holes in a pax archive (GNU tar manual, "Storing Sparse Files": versions 0.0, 0.1 and 1.0).

use std::collections::VecDeque;
use std::io::{self, Read};

const LONGEST_MAP: u64 = 4 << 20;
/// A map fills whole blocks, in bytes.
const BLOCK: usize = 512;

/// What an archive says of a file with holes.
#[derive(Debug, Default)]
pub(super) struct Sparse {
    /// The file's name, where the entry has another.
    pub name: Option<Vec<u8>>,
    /// The file's size with its holes, in bytes.
    pub bytes: u64,
    /// The offset and the length of each part that is in the archive, one number behind the other.
    map: Vec<u64>,
    /// Whether the map stands before the content.
    map_in_content: bool,
}

impl Sparse {
    /// Reads the records of an entry; `None` where none tells of holes.
    pub fn of<R: Read>(entry: &mut tar::Entry<'_, R>) -> io::Result<Option<Self>> {
        let mut sparse = None;
        for record in entry.pax_extensions()?.into_iter().flatten() {
            let record = record?;
            let Some(key) = record.key_bytes().strip_prefix(b"GNU.sparse.") else { continue };
            let (value, sparse) = (record.value_bytes(), sparse.get_or_insert_with(Self::default));
            match key {
                b"name" => sparse.name = Some(value.to_owned()),
                b"size" | b"realsize" => sparse.bytes = number(value)?,
                b"offset" | b"numbytes" => sparse.map.push(number(value)?),
                b"map" => sparse.map = value.split(|b| *b == b',').map(number).collect::<io::Result<_>>()?,
                b"major" => sparse.map_in_content = number(value)? > 0,
                _ => {}
            }
        }
        Ok(sparse)
    }

    pub fn content(mut self, packed: &mut dyn Read) -> io::Result<Filled<'_>> {
        if self.map_in_content {
            self.map = read_map(packed)?;
        }
        let (mut parts, mut end) = (VecDeque::new(), 0);
        for part in self.map.chunks(2) {
            let &[offset, length] = part else { return Err(damaged()) };
            let next = offset.checked_add(length).filter(|next| offset >= end && *next <= self.bytes);
            end = next.ok_or_else(damaged)?;
            parts.push_back((offset, end));
        }
        Ok(Filled { packed, parts, at: 0, bytes: self.bytes })
    }
}

/// Reads numbers, each with a line end behind it: how many parts there are, then an offset and a length for each.
fn read_map(packed: &mut dyn Read) -> io::Result<Vec<u64>> {
    let (mut map, mut digits, mut wanted) = (Vec::new(), Vec::new(), None);
    let mut packed = packed.take(LONGEST_MAP);
    while wanted.is_none_or(|wanted| map.len() < wanted) {
        let mut block = [0; BLOCK];
        packed.read_exact(&mut block)?;
        for byte in block {
            if byte != b'\n' {
                digits.push(byte);
            } else if wanted.is_none() {
                wanted =
                    Some(usize::try_from(number(&digits)?).ok().and_then(|n| n.checked_mul(2)).ok_or_else(damaged)?);
                digits.clear();
            } else {
                map.push(number(&digits)?);
                digits.clear();
            }
            if wanted == Some(map.len()) {
                break;
            }
        }
    }
    Ok(map)
}

fn number(digits: &[u8]) -> io::Result<u64> {
    std::str::from_utf8(digits).ok().and_then(|text| text.parse().ok()).ok_or_else(damaged)
}

fn damaged() -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, "the map of a file with holes makes no sense")
}

pub(super) struct Filled<'a> {
    packed: &'a mut dyn Read,
    /// Begin and end of the parts that are still to come.
    parts: VecDeque<(u64, u64)>,
    at: u64,
    bytes: u64,
}

impl Read for Filled<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        while self.parts.front().is_some_and(|(_, end)| *end <= self.at) {
            self.parts.pop_front();
        }
        let next = self.parts.front().copied();
        let until = next.map_or(self.bytes, |(begin, end)| if begin > self.at { begin } else { end });
        let most = usize::try_from(until - self.at).unwrap_or(usize::MAX).min(buffer.len());
        let buffer = &mut buffer[..most];
        let read = match next {
            Some((begin, _)) if begin <= self.at && most > 0 => match self.packed.read(buffer)? {
                0 => return Err(io::ErrorKind::UnexpectedEof.into()),
                read => read,
            },
            _ => {
                buffer.fill(0);
                most
            }
        };
        self.at += read as u64;
        Ok(read)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What is read of an entry with these records and this content, and the name; an error in words.
    fn read(records: &[(&str, &str)], packed: &[u8]) -> Result<(Option<Vec<u8>>, Vec<u8>), String> {
        let mut builder = tar::Builder::new(Vec::new());
        builder.append_pax_extensions(records.iter().map(|(key, value)| (*key, value.as_bytes()))).unwrap();
        let mut header = tar::Header::new_ustar();
        header.set_size(packed.len() as u64);
        builder.append_data(&mut header, "GNUSparseFile.1/t", packed).unwrap();
        let bytes = builder.into_inner().unwrap();
        let mut archive = tar::Archive::new(bytes.as_slice());
        let mut entry = archive.entries().unwrap().next().unwrap().unwrap();
        let sparse = Sparse::of(&mut entry).map_err(|e| e.to_string())?.ok_or("no holes")?;
        let (name, mut content) = (sparse.name.clone(), Vec::new());
        sparse.content(&mut entry).and_then(|mut f| f.read_to_end(&mut content)).map_err(|e| e.to_string())?;
        Ok((name, content))
    }

    #[test]
    fn holes_are_filled_and_senseless_maps_refused() {
        let map_before = |map: &str| [map.as_bytes(), &vec![0; 512 - map.len()], b"tide"].concat();
        let first = |more: &[(&'static str, &'static str)]| {
            [&[("GNU.sparse.major", "1"), ("GNU.sparse.realsize", "9")], more].concat()
        };
        let whole = |name: Option<&str>| Ok((name.map(|n| n.as_bytes().to_vec()), b"\0\0ti\0de\0\0".to_vec()));
        let each = [
            ("GNU.sparse.size", "9"),
            ("GNU.sparse.offset", "2"),
            ("GNU.sparse.numbytes", "2"),
            ("GNU.sparse.offset", "5"),
            ("GNU.sparse.numbytes", "2"),
        ];
        assert_eq!(read(&each, b"tide"), whole(None));
        let listed = [("GNU.sparse.size", "9"), ("GNU.sparse.name", "t"), ("GNU.sparse.map", "2,2,5,2")];
        assert_eq!(read(&listed, b"tide"), whole(Some("t")));
        assert_eq!(read(&first(&[("GNU.sparse.name", "t")]), &map_before("2\n2\n2\n5\n2\n")), whole(Some("t")));
        assert_eq!(read(&first(&[]), &map_before("0\n")).unwrap().1, [0; 9]);
        assert_eq!(read(&[("comment", "tide")], b""), Err("no holes".to_owned()));
        for map in [
            "2\n5\n2\n2\n2\n",
            "1\n8\n2\n",
            "1\n18446744073709551615\n2\n",
            "x\n",
            "9999999999999999999\n",
            "9\n1\n1\n",
        ] {
            assert!(read(&first(&[]), &map_before(map)).is_err(), "{map}");
        }
        for (map, packed) in [("2,2,5", &b"tide"[..]), ("2,x", b"tide"), ("2,7", b"tide"), ("", b"")] {
            assert!(read(&[("GNU.sparse.size", "9"), ("GNU.sparse.map", map)], packed).is_err(), "{map}");
        }
    }
}
