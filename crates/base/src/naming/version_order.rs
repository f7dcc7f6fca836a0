//! Which of two versions is the newer one.

use std::cmp::Ordering;

/// A part of a version: a run of digits, or of letters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Part<'a> {
    Number(&'a str),
    Word(&'a str),
}

/// Compares two versions, the newer one greater.
///
/// Rules: Semantic Versioning 2.0.0, "Precedence": numbers as numbers, a pre-release before its release, what follows a
/// `+` counts for nothing. Beyond that: as many numbers as there are, so that dates fit in; a letter behind a number comes
/// after it (`1.1.1w`), unless it says that it comes before (`rc`, `beta`); `1.2` and `1.2.0` are the same.
pub fn compare_versions(one: &str, other: &str) -> Ordering {
    let (one, other) = (parts(one), parts(other));
    for at in 0..one.len().max(other.len()) {
        let order = match (one.get(at), other.get(at)) {
            (Some(a), Some(b)) => compare(*a, *b),
            (Some(a), None) => against_end(*a),
            (None, Some(b)) => against_end(*b).reverse(),
            (None, None) => Ordering::Equal,
        };
        if order != Ordering::Equal {
            return order;
        }
    }
    Ordering::Equal
}

fn parts(version: &str) -> Vec<Part<'_>> {
    let version = version.split('+').next().unwrap_or_default();
    let mut parts = Vec::new();
    let mut rest = version;
    while let Some(first) = rest.chars().next() {
        let kind = |c: char| (c.is_ascii_digit(), c.is_alphabetic());
        let length = rest.find(|c| kind(c) != kind(first)).unwrap_or(rest.len());
        let (part, after) = rest.split_at(length);
        match kind(first) {
            (true, _) => parts.push(Part::Number(part)),
            (_, true) => parts.push(Part::Word(part)),
            _ => {}
        }
        rest = after;
    }
    parts
}

/// How far before its release a word says that a version is; `None` where it does not.
fn before_release(word: &str) -> Option<usize> {
    const WORDS: [&[&str]; 5] =
        [&["dev", "nightly", "snapshot"], &["alpha"], &["beta"], &["pre", "preview", "m"], &["rc", "cr"]];
    WORDS.iter().position(|words| words.iter().any(|known| word.eq_ignore_ascii_case(known)))
}

fn compare(one: Part<'_>, other: Part<'_>) -> Ordering {
    match (one, other) {
        (Part::Number(a), Part::Number(b)) => {
            // Longer than any number type, so compared as text without leading zeros.
            let (a, b) = (a.trim_start_matches('0'), b.trim_start_matches('0'));
            a.len().cmp(&b.len()).then_with(|| a.cmp(b))
        }
        (Part::Word(a), Part::Word(b)) => match (before_release(a), before_release(b)) {
            (Some(a), Some(b)) => a.cmp(&b),
            (Some(_), None) => Ordering::Less,
            (None, Some(_)) => Ordering::Greater,
            (None, None) => a.to_lowercase().cmp(&b.to_lowercase()),
        },
        (Part::Word(_), Part::Number(_)) => Ordering::Less,
        (Part::Number(_), Part::Word(_)) => Ordering::Greater,
    }
}

fn against_end(part: Part<'_>) -> Ordering {
    match part {
        Part::Number(number) if number.bytes().all(|digit| digit == b'0') => Ordering::Equal,
        Part::Word(word) if before_release(word).is_some() => Ordering::Less,
        _ => Ordering::Greater,
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn versions_stand_in_the_order_of_their_releases() {
        for rising in [
            &["3.9", "4.1.0", "4.2.1", "4.10.0", "10.0"][..],
            // The example of Semantic Versioning, 11.4.
            &["1.0.0-alpha", "1.0.0-alpha.1", "1.0.0-beta", "1.0.0-beta.2", "1.0.0-beta.11", "1.0.0-rc.1", "1.0.0"],
            &["1.1.1", "1.1.1a", "1.1.1w", "1.1.2"],
            &["9.3-dev", "9.3rc1", "9.3", "9.3p1", "9.4"],
            &["2024-01-31", "2024-02-01", "2025-01-01"],
            &["20240131", "20240201"],
            &["r9", "r10", "r27c"],
            &["1.2.3", "1.2.3-1", "1.2.3-2"],
        ] {
            for pair in rising.windows(2) {
                assert_eq!(compare_versions(pair[0], pair[1]), Ordering::Less, "{} before {}", pair[0], pair[1]);
            }
        }
        for same in [("1.2", "1.2.0"), ("1.2+5", "1.2+6"), ("1.02", "1.2"), ("1.0RC1", "1.0-rc.1"), ("", "0")] {
            assert_eq!(compare_versions(same.0, same.1), Ordering::Equal, "{same:?}");
        }
    }

    proptest! {
        #[test]
        fn each_order_has_its_opposite(one in "[0-9a-c.+-]{0,9}", other in "[0-9a-c.+-]{0,9}") {
            prop_assert_eq!(compare_versions(&one, &other), compare_versions(&other, &one).reverse());
            prop_assert_eq!(compare_versions(&one, &one), Ordering::Equal);
        }
    }
}
