//! A PATH value as Windows writes it: text, parts separated by `;`, quotes around parts that hold one, `%NAME%`
//! references. Edits leave every other character as it was.

use std::borrow::Cow;

/// Splits a value into its parts, raw. A `;` between quotes belongs to a part, as `cmd` reads it; an open quote runs to
/// the end. Joining the parts with `;` gives the value again.
pub fn parts(text: &str) -> Vec<&str> {
    if text.is_empty() {
        return Vec::new();
    }
    let mut parts = Vec::new();
    let (mut start, mut quoted) = (0, false);
    for (at, c) in text.char_indices() {
        match c {
            '"' => quoted = !quoted,
            ';' if !quoted => {
                parts.push(&text[start..at]);
                start = at + 1;
            }
            _ => {}
        }
    }
    parts.push(&text[start..]);
    parts
}

/// The value with an entry put in before the part at a place; the entry must hold neither quote nor `;`.
pub fn put_in(text: &str, place: usize, entry: &str) -> String {
    let mut parts = parts(text);
    parts.insert(place.min(parts.len()), entry);
    parts.join(";")
}

/// The value without the part at a place.
pub fn take_out(text: &str, place: usize) -> String {
    let mut parts = parts(text);
    if place < parts.len() {
        parts.remove(place);
    }
    parts.join(";")
}

/// A part as the folder it means, once expanded: quotes and white space around it dropped.
pub fn folder(part: &str) -> String {
    part.replace('"', "").trim().to_owned()
}

/// What a name between two `%` is taken for that nobody defines. It stays as it is in both.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unknown {
    /// Its closing `%` may open the next name ("ExpandEnvironmentStringsW function"; judged by running it).
    MayOpenNext,
    /// Both `%` are used up.
    Whole,
}

/// A piece of a text whose references are expanded.
struct Piece<'a> {
    /// Where it stands in the text, in bytes; a value stands where its reference begins.
    at: usize,
    text: Cow<'a, str>,
}

/// The values of variables, by name.
pub type Values<'a> = &'a dyn Fn(&str) -> Option<String>;

/// Replaces `%NAME%` by the variable's value.
pub fn expand(text: &str, value_of: Values<'_>, unknown: Unknown) -> String {
    pieces(text, value_of, unknown).into_iter().map(|piece| piece.text).collect()
}

fn pieces<'a>(text: &'a str, value_of: Values<'_>, unknown: Unknown) -> Vec<Piece<'a>> {
    let mut pieces = Vec::new();
    let (mut plain, mut from) = (0, 0);
    while let Some(open) = text[from..].find('%').map(|at| from + at) {
        let Some(close) = text[open + 1..].find('%').map(|at| open + 1 + at) else { break };
        if let Some(value) = value_of(&text[open + 1..close]) {
            pieces.push(Piece { at: plain, text: Cow::Borrowed(&text[plain..open]) });
            pieces.push(Piece { at: open, text: Cow::Owned(value) });
            (plain, from) = (close + 1, close + 1);
        } else {
            from = if unknown == Unknown::Whole { close + 1 } else { close };
        }
    }
    pieces.push(Piece { at: plain, text: Cow::Borrowed(&text[plain..]) });
    pieces
}

/// A part of a value, and the folders that it becomes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ExpandedPart<'a> {
    /// As written.
    pub raw: &'a str,
    /// As many as the values of its references hold, and at least one.
    pub folders: Vec<String>,
    /// Whether each of them begins and ends in it: a quote that is left open takes what follows along.
    pub stands_alone: bool,
}

/// The parts of a value, each with the folders that it becomes once the references of the whole value are expanded.
pub fn expand_parts<'a>(text: &'a str, value_of: Values<'_>, unknown: Unknown) -> Vec<ExpandedPart<'a>> {
    let raw = parts(text);
    let mut next = 0;
    let start_of = |part: &&str| {
        let start = next;
        next += part.len() + 1;
        start
    };
    let starts: Vec<usize> = raw.iter().map(start_of).collect();
    let (mut expanded, mut from) = (String::new(), Vec::new());
    for piece in pieces(text, value_of, unknown) {
        let is_value = matches!(piece.text, Cow::Owned(_));
        from.push((expanded.len(), piece.at, is_value));
        expanded.push_str(&piece.text);
    }
    // The part that a place of the expanded text comes from.
    let part_at = |place: usize| {
        let (start, at, is_value) = from[from.partition_point(|(start, ..)| *start <= place).saturating_sub(1)];
        let source = if is_value { at } else { at + (place - start) };
        starts.partition_point(|start| *start <= source).saturating_sub(1)
    };
    let blank = |raw: &&'a str| ExpandedPart { raw, folders: Vec::new(), stands_alone: true };
    let mut all: Vec<ExpandedPart<'a>> = raw.iter().map(blank).collect();
    let mut start = 0;
    for folder_text in parts(&expanded) {
        let end = start + folder_text.len();
        let (first, last) = (part_at(start), part_at(end));
        for part in all.iter_mut().take(last + 1).skip(first).filter(|_| first != last) {
            part.stands_alone = false;
        }
        if let Some(part) = all.get_mut(first) {
            part.folders.push(folder(folder_text));
        }
        start = end + 1;
    }
    for part in all.iter_mut().filter(|part| part.folders.is_empty()) {
        part.folders.push(String::new());
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn parts_keep_quotes_and_blanks() {
        for (text, expected) in [
            ("", &[][..]),
            (";", &["", ""]),
            (r"C:\a;C:\b", &[r"C:\a", r"C:\b"]),
            (r#""C:\a;b";C:\c"#, &[r#""C:\a;b""#, r"C:\c"]),
            (r#"C:\a;"C:\b;C:\c"#, &[r"C:\a", r#""C:\b;C:\c"#]),
        ] {
            assert_eq!(parts(text), expected, "{text}");
        }
        assert_eq!(folder(r#" "C:\a b" "#), r"C:\a b");
    }

    #[test]
    fn references_are_expanded_as_the_system_does() {
        let value = |name: &str| match name.to_ascii_uppercase().as_str() {
            "A" => Some("1".to_owned()),
            "B C" => Some("%A%".to_owned()),
            _ => None,
        };
        for (text, expected) in [
            ("%a%\\x", "1\\x"),
            ("%none%", "%none%"),
            ("%none%A%", "%none1"),
            ("100%", "100%"),
            ("%%", "%%"),
            ("%b c%", "%A%"),
            ("a%A", "a%A"),
            ("%A%%A%", "11"),
        ] {
            assert_eq!(expand(text, &value, Unknown::MayOpenNext), expected, "{text}");
            let whole = if text == "%none%A%" { text } else { expected };
            assert_eq!(expand(text, &value, Unknown::Whole), whole, "{text}");
        }
    }

    #[test]
    fn a_part_may_be_several_folders() {
        let value = |name: &str| match name {
            "TWO" => Some(r"C:\a;C:\b".to_owned()),
            "ONE" => Some(r"C:\o".to_owned()),
            "OPEN" => Some(r#""C:\q"#.to_owned()),
            "ENDS" => Some(r"C:\e;".to_owned()),
            "b;C:" => Some("x".to_owned()),
            _ => None,
        };
        type Part<'a> = (&'a str, &'a [&'a str], bool);
        let cases: [(&str, &[Part]); 9] = [
            ("", &[]),
            (r"%TWO%;C:\c", &[("%TWO%", &[r"C:\a", r"C:\b"], true), (r"C:\c", &[r"C:\c"], true)]),
            (r"%ONE%\bin", &[(r"%ONE%\bin", &[r"C:\o\bin"], true)]),
            (r"x%TWO%\bin", &[(r"x%TWO%\bin", &[r"xC:\a", r"C:\b\bin"], true)]),
            ("%NONE%;;", &[("%NONE%", &["%NONE%"], true), ("", &[""], true), ("", &[""], true)]),
            ("%ENDS%;y", &[("%ENDS%", &[r"C:\e", ""], true), ("y", &["y"], true)]),
            // A quote in a value runs on into what follows, and a name may run over a `;`.
            ("z;%OPEN%;y", &[("z", &["z"], true), ("%OPEN%", &[r"C:\q;y"], false), ("y", &[""], false)]),
            (r"a%b;C:%c", &[("a%b", &["axc"], false), ("C:%c", &[""], false)]),
            (r#""%TWO%";y"#, &[(r#""%TWO%""#, &[r"C:\a;C:\b"], true), ("y", &["y"], true)]),
        ];
        for (text, expected) in cases {
            let seen = expand_parts(text, &value, Unknown::MayOpenNext);
            let expected: Vec<ExpandedPart> = expected
                .iter()
                .map(|(raw, folders, stands_alone)| ExpandedPart {
                    raw,
                    folders: folders.iter().map(|folder| (*folder).to_owned()).collect(),
                    stands_alone: *stands_alone,
                })
                .collect();
            assert_eq!(seen, expected, "{text}");
        }
    }

    proptest! {
        #[test]
        fn an_edit_and_its_reverse_are_identity(
            text in "[a-cA-C:;\\\\%\" .äß-]{0,40}",
            place in 0usize..4,
            entry in "[a-cA-C:\\\\% .ä]{1,12}!",
        ) {
            // An open quote runs to the end: nothing is put in behind it.
            let most = parts(&text).len() - text.matches('"').count() % 2;
            let place = place.min(most);
            let there = put_in(&text, place, &entry);
            prop_assert_eq!(parts(&there)[place], entry.as_str());
            prop_assert_eq!(take_out(&there, place), text.clone());
            prop_assert_eq!(parts(&text).join(";"), text);
        }
    }
}
