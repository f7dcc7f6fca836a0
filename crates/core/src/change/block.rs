//! The block in a startup file: put in, found, and taken out again to the byte.

/// What the first line of a block begins with.
pub const BLOCK_BEGINS: &str = "# Wagon Yard: begin";
const BEGIN: &[u8] = BLOCK_BEGINS.as_bytes();
/// What the last line is.
pub const BLOCK_ENDS: &str = "# Wagon Yard: end";
const END: &[u8] = b"# Wagon Yard: end\n";
/// The note that the file did not exist before.
const MADE: &[u8] = b" (this file was made by Wagon Yard)";
/// The note that the file's last line had no line ending, so that one had to be added.
const ENDED: &[u8] = b" (the line above had no line ending)";

/// Whether the startup file existed before us.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Before {
    There,
    Missing,
}

/// What is left of a file once the block is out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Without {
    Unchanged,
    Content(Vec<u8>),
    /// Nothing but what we had made: the file goes.
    Nothing,
}

/// The content with the block at its end; `None` where it is in it already. `line` is the block's one line of shell
/// code, without a line ending.
pub(super) fn with(content: &[u8], line: &[u8], before: Before) -> Option<Vec<u8>> {
    if find(content, line).is_some() {
        return None;
    }
    let open_end = content.last().is_some_and(|b| *b != b'\n');
    let mut new = content.to_vec();
    if open_end {
        new.push(b'\n');
    }
    new.extend_from_slice(BEGIN);
    if open_end {
        new.extend_from_slice(ENDED);
    }
    if before == Before::Missing {
        new.extend_from_slice(MADE);
    }
    new.push(b'\n');
    new.extend_from_slice(line);
    new.push(b'\n');
    new.extend_from_slice(END);
    Some(new)
}

/// The content without the block. What others added before or after it stays.
pub(super) fn without(content: &[u8], line: &[u8]) -> Without {
    let Some((start, stop, notes)) = find(content, line) else { return Without::Unchanged };
    let mut kept = content[..start].to_vec();
    let after = &content[stop..];
    if notes == ENDED && after.is_empty() && kept.last() == Some(&b'\n') {
        kept.pop();
    }
    kept.extend_from_slice(after);
    if notes == MADE && kept.is_empty() { Without::Nothing } else { Without::Content(kept) }
}

/// A file's content with the block in it, whether or not it was; `None` stands for no file.
pub fn block_put(content: Option<&[u8]>, line: &[u8]) -> Vec<u8> {
    let before = if content.is_some() { Before::There } else { Before::Missing };
    let content = content.unwrap_or_default();
    with(content, line, before).unwrap_or_else(|| content.to_vec())
}

/// A file's content without the block, whether or not it had it; `None` stands for no file.
pub fn block_taken(content: Option<&[u8]>, line: &[u8]) -> Option<Vec<u8>> {
    match without(content?, line) {
        Without::Unchanged => content.map(<[u8]>::to_vec),
        Without::Content(content) => Some(content),
        Without::Nothing => None,
    }
}

/// Finds the block with this line: where it starts and stops, and its notes.
fn find<'a>(content: &'a [u8], line: &[u8]) -> Option<(usize, usize, &'a [u8])> {
    let tail = [b"\n", line, b"\n", END].concat();
    let mut from = 0;
    while let Some(at) = position(&content[from..], BEGIN).map(|p| p + from) {
        let rest = &content[at + BEGIN.len()..];
        let end_of_line = rest.iter().position(|b| *b == b'\n')?;
        let at_line_start = at == 0 || content[at - 1] == b'\n';
        if at_line_start && rest[end_of_line..].starts_with(&tail) {
            return Some((at, at + BEGIN.len() + end_of_line + tail.len(), &rest[..end_of_line]));
        }
        from = at + BEGIN.len();
    }
    None
}

fn position(haystack: &[u8], needle: &[u8]) -> Option<usize> {
    haystack.windows(needle.len()).position(|w| w == needle)
}

#[cfg(test)]
mod tests {
    use crate::change::block::*;
    use proptest::prelude::*;

    const LINE: &[u8] = b"if [ -r '/y/path.sh' ]; then . '/y/path.sh'; fi";

    #[test]
    fn others_may_write_around_the_block() {
        let there = with(b"a", LINE, Before::There).unwrap();
        assert!(with(&there, LINE, Before::There).is_none(), "nothing twice");
        let more = [&there[..], b"b\n"].concat();
        assert_eq!(without(&more, LINE), Without::Content(b"a\nb\n".to_vec()));
        let made = with(b"", LINE, Before::Missing).unwrap();
        assert_eq!(without(&made, LINE), Without::Nothing);
        let more = [b"# mine\n", &made[..]].concat();
        assert_eq!(without(&more, LINE), Without::Content(b"# mine\n".to_vec()));
        assert_eq!(without(b"echo # Wagon Yard: begin\n", LINE), Without::Unchanged);
        assert_eq!(without(&made, b"another line"), Without::Unchanged, "the block of another yard stays");
    }

    proptest! {
        #[test]
        fn putting_in_and_taking_out_is_identity(content in proptest::collection::vec(any::<u8>(), 0..80)) {
            let there = with(&content, LINE, Before::There).unwrap();
            prop_assert!(there.starts_with(&content));
            prop_assert_eq!(without(&there, LINE), Without::Content(content));
        }

        #[test]
        fn blocks_of_two_yards_come_out_in_any_order(content in "[ab\r\n#]{0,20}", first in any::<bool>()) {
            let other: &[u8] = b". '/other'";
            let both = with(&with(content.as_bytes(), LINE, Before::There).unwrap(), other, Before::There).unwrap();
            let order = if first { [LINE, other] } else { [other, LINE] };
            let Without::Content(one) = without(&both, order[0]) else { panic!() };
            let Without::Content(none) = without(&one, order[1]) else { panic!() };
            let kept = none == content.as_bytes() || none == [content.as_bytes(), b"\n"].concat();
            prop_assert!(kept, "only a line ending between the two may stay");
        }
    }
}
