//! Whether a line of text, such as one of a startup file, names a folder.

use std::ops::Range;

/// Whether something below a folder names the folder too.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Below {
    Counts,
    /// Only the folder itself is meant.
    No,
}

/// Where a text names a folder, a separator behind it included: not another one whose name only begins or ends like it.
pub fn mention(text: &str, folder: &str, below: Below) -> Option<Range<usize>> {
    let bare = folder.trim_end_matches(['/', '\\']);
    if bare.is_empty() {
        return None;
    }
    let of_name = |c: char| c.is_alphanumeric() || "-_.+@~".contains(c);
    text.match_indices(bare).find_map(|(at, _)| {
        let (before, after) = (text[..at].chars().next_back(), &text[at + bare.len()..]);
        let rest = after.trim_start_matches(['/', '\\']);
        let separators = after.len() - rest.len();
        let goes_on = rest.chars().next().is_some_and(of_name);
        let begins = before.is_none_or(|c| !of_name(c) && !matches!(c, '/' | '\\'));
        let ends = if separators == 0 { !goes_on } else { !goes_on || below == Below::Counts };
        (begins && ends).then_some(at..at + bare.len() + separators)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_folder_itself_is_named() {
        for (text, folder, alone, with_below) in [
            ("PATH=/opt/t/bin:$PATH", "/opt/t/bin", true, true),
            ("PATH=\"/opt/t/bin/:$PATH\"", "/opt/t/bin", true, true),
            ("PATH=/opt/t/bin:$PATH", "/opt/t", false, true),
            ("PATH=/opt/t/bin2:$PATH", "/opt/t/bin", false, false),
            ("PATH=/opt/t.old/bin", "/opt/t", false, false),
            ("PATH=/usr/opt/t:$PATH", "/opt/t", false, false),
            ("export PATH=$HOME/t/bin", "$HOME/t/bin", true, true),
            (r"C:\Tools\t;C:\Windows", r"C:\Tools\t", true, true),
            (r#""C:\Tools\t\""#, r"C:\Tools\t", true, true),
            ("anything", "/", false, false),
        ] {
            assert_eq!(mention(text, folder, Below::No).is_some(), alone, "{text} {folder}");
            assert_eq!(mention(text, folder, Below::Counts).is_some(), with_below, "{text} {folder}");
        }
        assert_eq!(mention("a:/opt/t/:b", "/opt/t", Below::No), Some(2..9));
    }
}
