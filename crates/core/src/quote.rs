//! Words quoted so that a shell takes every byte of them as it is.

/// For POSIX shells: in single quotes, a single quote itself as `'\''` (POSIX.1-2017, 2.2.2).
pub fn posix(word: &[u8]) -> Vec<u8> {
    quote(word, |byte| if byte == b'\'' { Some(b"'\\''") } else { None })
}

/// For fish: in single quotes, where only `\'` and `\\` have a meaning (fish language, "Quotes").
pub fn fish(word: &[u8]) -> Vec<u8> {
    quote(word, |byte| match byte {
        b'\'' => Some(b"\\'"),
        b'\\' => Some(b"\\\\"),
        _ => None,
    })
}

/// For tcsh: in single quotes, where a `!` still stands for an earlier command unless a backslash is before it, and a
/// line ends the word (tcsh(1), "Lexical structure"). No entry of PATH holds a line break.
pub fn csh(word: &[u8]) -> Vec<u8> {
    quote(word, |byte| match byte {
        b'\'' => Some(b"'\\''"),
        b'!' => Some(b"\\!"),
        _ => None,
    })
}

fn quote(word: &[u8], replace: impl Fn(u8) -> Option<&'static [u8]>) -> Vec<u8> {
    let mut quoted = vec![b'\''];
    for byte in word {
        match replace(*byte) {
            Some(replacement) => quoted.extend_from_slice(replacement),
            None => quoted.push(*byte),
        }
    }
    quoted.push(b'\'');
    quoted
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_byte_stays() {
        assert_eq!(posix(b"it's $HOME"), b"'it'\\''s $HOME'");
        assert_eq!(fish(b"it's a\\b"), b"'it\\'s a\\\\b'");
        assert_eq!(posix(b""), b"''");
        assert_eq!(csh(b"it's!"), b"'it'\\''s\\!'");
    }
}
