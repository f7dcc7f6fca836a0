//! Words quoted so that a shell, several shells, or a program takes all of them as it is.

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

/// For sh, bash, zsh, ksh, fish and tcsh alike. Between double quotes each acts on some of `$`, `` ` ``, `"`, `\` and `!`;
/// between single quotes fish acts on a backslash and tcsh on `!`, so that these, and the quote, stand outside behind a
/// backslash (POSIX.1-2017, 2.2; fish language, "Quotes"; tcsh(1), "Lexical structure" and "History substitution").
pub fn for_every_unix_shell(word: &str) -> String {
    if !word.contains(['$', '`', '"', '\\', '!']) {
        return format!("\"{word}\"");
    }
    let mut line = String::new();
    let mut is_open = false;
    for c in word.chars() {
        let stands_outside = matches!(c, '\'' | '\\' | '!');
        if stands_outside == is_open {
            line.push('\'');
            is_open = !is_open;
        }
        if stands_outside {
            line.push('\\');
        }
        line.push(c);
    }
    if is_open {
        line.push('\'');
    }
    line
}

/// For cmd and PowerShell alike: between double quotes, where PowerShell acts on `$`, on a backtick and on typographic quotes
/// ("About Quoting Rules"), and cmd on a name between two `%` (`cmd /?`): no quoting keeps both from it. A backslash before
/// the closing quote is doubled ("Parsing C command-line arguments").
pub fn for_every_windows_shell(word: &str) -> Option<String> {
    let acted_on = ['$', '`', '"', '\u{201c}', '\u{201d}', '\u{201e}'];
    if word.contains(acted_on) || word.matches('%').count() > 1 {
        return None;
    }
    let backslashes = word.len() - word.trim_end_matches('\\').len();
    Some(format!("\"{word}{}\"", "\\".repeat(backslashes)))
}

/// A word in quotes where it needs them: before a quote, and at the end, backslashes count twice ("Parsing C++ command-line
/// arguments").
pub fn for_programs_of_c(word: &str) -> String {
    if !word.is_empty() && !word.contains([' ', '\t', '"', '&', '(', ')', '^']) {
        return word.to_owned();
    }
    let mut quoted = String::from("\"");
    let mut backslashes = 0;
    for c in word.chars() {
        match c {
            '\\' => backslashes += 1,
            '"' => {
                quoted.push_str(&"\\".repeat(backslashes + 1));
                backslashes = 0;
            }
            _ => backslashes = 0,
        }
        quoted.push(c);
    }
    quoted.push_str(&"\\".repeat(backslashes));
    quoted.push('"');
    quoted
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
