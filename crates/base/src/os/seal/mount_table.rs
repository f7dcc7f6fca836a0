//! What is mounted where.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use crate::os::byte_names::name_from_bytes;

/// The places at which something is mounted (proc_pid_mountinfo(5), the fifth field).
pub(super) fn mount_points() -> io::Result<Vec<PathBuf>> {
    Ok(parse(&fs::read("/proc/self/mountinfo")?))
}

/// Kinds of file systems that wait for another machine, or for somebody who serves them.
const REMOTE: [&str; 10] = ["nfs", "cifs", "smb", "autofs", "fuse", "9p", "ceph", "gluster", "afs", "lustre"];

/// The places at which other machines' disks are mounted: looking at one may take for ever.
pub(in crate::os) fn remote_places() -> Vec<PathBuf> {
    let table = fs::read("/proc/self/mountinfo").unwrap_or_default();
    let is_remote = |line: &&[u8]| {
        let kind = line.windows(3).position(|part| part == b" - ").map(|at| &line[at + 3..]);
        kind.is_some_and(|kind| REMOTE.iter().any(|begin| kind.starts_with(begin.as_bytes())))
    };
    let lines: Vec<&[u8]> = table.split(|byte| *byte == b'\n').filter(is_remote).collect();
    parse(&lines.join(&b'\n'))
}

fn parse(table: &[u8]) -> Vec<PathBuf> {
    let place = |line: &[u8]| Some(PathBuf::from(name_from_bytes(unescaped(line.split(|b| *b == b' ').nth(4)?))));
    let mut places: Vec<PathBuf> = table.split(|b| *b == b'\n').filter_map(place).collect();
    places.sort();
    places.dedup();
    places
}

fn unescaped(field: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(field.len());
    let mut rest = field;
    while let Some((first, after)) = rest.split_first() {
        let digits = after.get(..3).filter(|_| *first == b'\\').and_then(|digits| std::str::from_utf8(digits).ok());
        match digits.and_then(|digits| u8::from_str_radix(digits, 8).ok()) {
            Some(byte) => {
                bytes.push(byte);
                rest = &after[3..];
            }
            None => {
                bytes.push(*first);
                rest = after;
            }
        }
    }
    bytes
}

pub(super) fn below<'a>(places: &'a [PathBuf], folder: &Path) -> impl Iterator<Item = &'a PathBuf> {
    places.iter().filter(move |place| place.starts_with(folder) && *place != folder)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn blanks_in_a_place_are_read() {
        let table = b"22 27 0:21 / /proc rw - proc proc rw\n30 25 0:27 / /mnt/a\\040b\\134 rw - tmpfs tmpfs rw\n";
        assert_eq!(parse(table), [PathBuf::from("/mnt/a b\\"), PathBuf::from("/proc")]);
        assert_eq!(below(&parse(table), Path::new("/mnt")).count(), 1);
    }
}
