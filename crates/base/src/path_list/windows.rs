//! A PATH value as Windows writes it: text, parts separated by `;`, quotes around parts that hold one, `%NAME%`
//! references. Edits leave every other character as it was.

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

/// Replaces `%NAME%` by the variable's value; a name that nobody defines stays as it is, and its closing `%` may open
/// the next one ("ExpandEnvironmentStringsW function"; judged by running it).
pub fn expand(text: &str, value_of: &dyn Fn(&str) -> Option<String>) -> String {
    let mut expanded = String::new();
    let mut rest = text;
    while let Some(open) = rest.find('%') {
        expanded.push_str(&rest[..open]);
        let after = &rest[open + 1..];
        let Some(close) = after.find('%') else {
            expanded.push_str(&rest[open..]);
            return expanded;
        };
        if let Some(value) = value_of(&after[..close]) {
            expanded.push_str(&value);
            rest = &after[close + 1..];
        } else {
            expanded.push('%');
            expanded.push_str(&after[..close]);
            rest = &after[close..];
        }
    }
    expanded.push_str(rest);
    expanded
}

/// The same, but what stands between two `%` of a name that nobody defines is left as a whole, both of them included.
pub fn expand_whole(text: &str, value_of: &dyn Fn(&str) -> Option<String>) -> String {
    let pieces: Vec<&str> = text.split('%').collect();
    let mut expanded = pieces[0].to_owned();
    let mut at = 1;
    while at < pieces.len() {
        let closed = at + 1 < pieces.len();
        match value_of(pieces[at]).filter(|_| closed) {
            Some(value) => expanded.push_str(&value),
            None => {
                expanded.push('%');
                expanded.push_str(pieces[at]);
                expanded.push_str(if closed { "%" } else { "" });
            }
        }
        if closed {
            expanded.push_str(pieces[at + 1]);
        }
        at += 2;
    }
    expanded
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
            assert_eq!(expand(text, &value), expected, "{text}");
            let whole = if text == "%none%A%" { text } else { expected };
            assert_eq!(expand_whole(text, &value), whole, "{text}");
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
