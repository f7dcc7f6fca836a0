//! Characters that a terminal does not show, or that change how it shows others: what comes from outside is printed with
//! escapes in their place, so that it is seen as it is.

use std::borrow::Cow;
use std::ops::RangeInclusive;

/// Besides control characters: those that are not shown unless they are known (`Default_Ignorable_Code_Point` of the Unicode
/// Character Database, DerivedCoreProperties.txt), among them those of direction, joiners, tags and variants; separators of
/// lines; and a braille pattern without a dot.
const HIDDEN: [RangeInclusive<char>; 18] = [
    '\u{ad}'..='\u{ad}',
    '\u{34f}'..='\u{34f}',
    '\u{61c}'..='\u{61c}',
    '\u{115f}'..='\u{1160}',
    '\u{17b4}'..='\u{17b5}',
    '\u{180b}'..='\u{180f}',
    '\u{200b}'..='\u{200f}',
    '\u{2028}'..='\u{202e}',
    '\u{2060}'..='\u{206f}',
    '\u{2800}'..='\u{2800}',
    '\u{3164}'..='\u{3164}',
    '\u{fe00}'..='\u{fe0f}',
    '\u{feff}'..='\u{feff}',
    '\u{ffa0}'..='\u{ffa0}',
    '\u{fff0}'..='\u{fffb}',
    '\u{1bca0}'..='\u{1bca3}',
    '\u{1d173}'..='\u{1d17a}',
    '\u{e0000}'..='\u{e0fff}',
];

/// Whether nobody sees a character, or sees others wrongly by it.
pub fn is_hidden(c: char) -> bool {
    c.is_control() || !c.is_ascii() && HIDDEN.iter().any(|range| range.contains(&c))
}

pub fn escaped(text: &str) -> Cow<'_, str> {
    if !text.contains(is_hidden) {
        return text.into();
    }
    text.chars().flat_map(|c| if is_hidden(c) { c.escape_default().collect() } else { vec![c] }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_hidden_is_escaped() {
        for (text, expected) in [
            ("a\u{1b}[31mb\u{202e}ä\n", "a\\u{1b}[31mb\\u{202e}ä\\n"),
            ("tide\u{200d}log\u{ad}\u{2029}", "tide\\u{200d}log\\u{ad}\\u{2029}"),
            ("\u{e0074}\u{feff}\u{61c}\u{3164}", "\\u{e0074}\\u{feff}\\u{61c}\\u{3164}"),
            ("Übersicht 潮 é", "Übersicht 潮 é"),
        ] {
            assert_eq!(escaped(text), expected);
        }
    }
}
