//! The version in what a program prints.

/// How near a version-like word stands to what says that it is one; smaller is nearer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Nearness {
    /// Right after the program's or the tool's own name, or after "NAME version".
    OwnName,
    /// Right after the word "version".
    VersionWord,
    /// Anywhere.
    Anywhere,
}

/// Finds the version a program states: the word nearest to its own name, then to the word "version", then the first
/// that looks like one. `names` are the names the program goes by, `expected` is only used to accept a bare number.
pub(super) fn find(text: &str, names: &[&str], expected: &str) -> Option<(String, Nearness)> {
    // "License: version 3 or later" is not about the program.
    let of_license = |line: &str| {
        let lower = line.to_lowercase();
        let speaks_of_it = lower.contains("license") || lower.contains("licence");
        speaks_of_it && !names.iter().any(|name| lower.contains(&name.to_lowercase()))
    };
    let text = text.lines().filter(|line| !of_license(line)).collect::<Vec<_>>().join("\n");
    let words: Vec<&str> = text.split(|c: char| c.is_whitespace() || c == ',' || c == ';' || c == '/').collect();
    let words: Vec<&str> = words.into_iter().map(trim).filter(|w| !w.is_empty()).collect();
    let is_own = |word: &str| names.iter().any(|n| word.eq_ignore_ascii_case(n));
    let says_version = |word: &str| ["version", "ver", "v", "release"].iter().any(|v| word.eq_ignore_ascii_case(v));
    let mut best: Option<(String, Nearness)> = None;
    for (i, word) in words.iter().enumerate() {
        let before = i.checked_sub(1).map(|i| words[i]).unwrap_or_default();
        let second = i.checked_sub(2).map(|i| words[i]).unwrap_or_default();
        // "tidelog-4.2.1" and "tidelog:4.2.1" state a version too.
        let (joined, bare) = names
            .iter()
            .find_map(|n| {
                Some((true, word.get(..n.len()).filter(|w| w.eq_ignore_ascii_case(n)).and(word.get(n.len()..))?))
            })
            .and_then(|(j, rest)| Some((j, rest.strip_prefix(['-', ':', '=', '@', '_'])?)))
            .unwrap_or((false, word));
        let nearness = if joined || is_own(before) || (says_version(before) && is_own(second)) {
            Nearness::OwnName
        } else if says_version(before) {
            Nearness::VersionWord
        } else {
            Nearness::Anywhere
        };
        let bare =
            bare.strip_prefix(['v', 'V']).filter(|r| r.starts_with(|c: char| c.is_ascii_digit())).unwrap_or(bare);
        let plain_number = bare.bytes().all(|b| b.is_ascii_digit()) && !bare.is_empty();
        let accepted = if plain_number {
            bare == expected || (nearness != Nearness::Anywhere && !is_year(bare))
        } else {
            looks_like_version(bare)
        };
        if accepted && best.as_ref().is_none_or(|(_, n)| nearness < *n) {
            best = Some((bare.to_owned(), nearness));
        }
    }
    best
}

/// Strips what writers put around words: brackets, quotes, a full stop or colon after them.
fn trim(word: &str) -> &str {
    word.trim_matches(|c: char| "()[]{}<>\"'`*".contains(c))
        .trim_end_matches(['.', ':', '!'])
        .trim_matches(['"', '\'', ')'])
}

fn is_year(number: &str) -> bool {
    number.len() == 4 && (number.starts_with("19") || number.starts_with("20"))
}

/// A number, a dot, a number, and then anything a version may hold.
fn looks_like_version(word: &str) -> bool {
    let mut parts = word.splitn(3, '.');
    let (Some(first), Some(second)) = (parts.next(), parts.next()) else { return false };
    !first.is_empty()
        && first.bytes().all(|b| b.is_ascii_digit())
        && second.starts_with(|c: char| c.is_ascii_digit())
        && word.bytes().all(|b| b.is_ascii_alphanumeric() || b"._+~-".contains(&b))
}

/// Whether a stated version is the expected one: the same text, or the same but for build metadata after `+`
/// (Semantic Versioning 2.0.0, 10) and trailing `.0` parts.
pub(super) fn same(stated: &str, expected: &str) -> bool {
    let plain = |version: &str| {
        let version = version.split('+').next().unwrap_or_default().to_ascii_lowercase();
        let (core, rest) = match version.find(|c: char| c != '.' && !c.is_ascii_digit()) {
            Some(at) => (version[..at].to_owned(), version[at..].to_owned()),
            None => (version, String::new()),
        };
        let mut parts: Vec<String> = core.split('.').map(str::to_owned).collect();
        while parts.len() > 1 && parts.last().is_some_and(|p| p.bytes().all(|b| b == b'0')) {
            parts.pop();
        }
        (parts, rest)
    };
    plain(stated) == plain(expected)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn versions_are_found_in_made_up_outputs() {
        let cases = [
            ("tidelog 4.2.1", Some("4.2.1")),
            ("tidelog version 4.2.1 (built 2026-03-11)", Some("4.2.1")),
            ("TideLog v4.2.1\nCopyright 2026 Brackwater", Some("4.2.1")),
            ("tidelog (coastkit) 4.2.1", Some("4.2.1")),
            ("tidelog-4.2.1", Some("4.2.1")),
            ("version \"4.2.1\"", Some("4.2.1")),
            ("4.2.1-rc.1", Some("4.2.1-rc.1")),
            ("built with shore 9.9.9\ntidelog 4.2.1", Some("4.2.1")),
            ("tidelog 3.9 (shore 4.2.1)", Some("3.9")),
            ("Copyright 2026 Brackwater Tide Office", None),
            ("tidelog 7", Some("7")),
            ("tidelog (Brackwater) 4.2\nLicense: Harbour Licence version 3 or later", Some("4.2")),
            ("Licence: Harbour Licence version 3", None),
            ("usage: tidelog FILE", None),
            ("tidelog 4.2.1, with shore 1.0", Some("4.2.1")),
            ("tidelog 4.2.1.", Some("4.2.1")),
            ("tidelog/4.2.1 linux/x86_64", Some("4.2.1")),
            ("", None),
        ];
        for (text, expected) in cases {
            let found = find(text, &["tidelog", "coastkit"], "4.2.1").map(|(v, _)| v);
            assert_eq!(found.as_deref(), expected, "{text}");
        }
        assert_eq!(find("built 20260311", &["x"], "20260311").map(|(v, _)| v).as_deref(), Some("20260311"));
    }

    #[test]
    fn versions_are_compared_by_meaning() {
        for (stated, expected, equal) in [
            ("4.2.1", "4.2.1", true),
            ("4.2.1+g12ab", "4.2.1", true),
            ("4.2", "4.2.0", true),
            ("4.2.1-RC1", "4.2.1-rc1", true),
            ("4.2.1-rc1", "4.2.1", false),
            ("4.2.10", "4.2.1", false),
            ("4.20", "4.2", false),
            ("0", "0.0", true),
        ] {
            assert_eq!(same(stated, expected), equal, "{stated} {expected}");
        }
    }
}
