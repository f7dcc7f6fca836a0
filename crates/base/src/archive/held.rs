//! Reading by way of what a reader holds in memory.

use std::io::{self, BufRead};

pub(super) fn read_held(reader: &mut impl BufRead, buffer: &mut [u8]) -> io::Result<usize> {
    let held = reader.fill_buf()?;
    let most = held.len().min(buffer.len());
    buffer[..most].copy_from_slice(&held[..most]);
    reader.consume(most);
    Ok(most)
}
