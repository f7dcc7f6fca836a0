//! Editing a key of a settings file made of lines: `key = value`, `key: value` or `KEY=value`, in sections or not. All other
//! bytes, comments and line endings stay.

use std::path::Path;

use super::format::Edit;
use super::settings_toml;

/// What is done to a key of a file.
///
/// # Errors
/// With what is in the way; the key is then to be edited by hand.
pub(super) fn edited(file: &Path, content: &[u8], section: Option<&str>, edit: Edit<'_>) -> Result<Vec<u8>, String> {
    if content.starts_with(b"\xff\xfe") || content.starts_with(b"\xfe\xff") {
        return Err("written in UTF-16; only UTF-8 and ASCII settings are edited".to_owned());
    }
    if file.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("toml")) {
        return settings_toml::edited(content, section, edit);
    }
    Settings::of(file, content).edited(section, edit)
}

/// The lines of a settings file; where a line is continued on the next one, both are one.
struct Settings<'a> {
    lines: Vec<&'a [u8]>,
    /// Whether a `#` can be a part of a value, and a backslash continues a line (java.util.Properties, "load").
    is_properties: bool,
}

/// A line `key = value`.
struct Entry {
    /// The key's line, from 0.
    line: usize,
    /// Where its comment mark ends; 0 where there is none.
    mark: usize,
    value: std::ops::Range<usize>,
}

impl<'a> Settings<'a> {
    fn of(file: &Path, content: &'a [u8]) -> Self {
        let is_properties = file.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("properties"));
        let mut lines: Vec<&[u8]> = Vec::new();
        let (mut begin, mut end) = (0, 0);
        for line in content.split_inclusive(|byte| *byte == b'\n') {
            end += line.len();
            if !(is_properties && is_continued(line)) {
                lines.push(&content[begin..end]);
                begin = end;
            }
        }
        if begin < content.len() {
            lines.push(&content[begin..]);
        }
        Self { lines, is_properties }
    }

    fn edited(&self, section: Option<&str>, edit: Edit<'_>) -> Result<Vec<u8>, String> {
        let (Edit::Uncomment(key) | Edit::Set(key, _) | Edit::Remove(key)) = edit;
        if let Edit::Set(_, value) = edit {
            let text = value.to_string();
            let text = text.trim_ascii_end().as_bytes();
            if self.value_length(text) < text.len() {
                return Err(format!(
                    "the value of \"{key}\" has a \" ;\" or \" #\", which begins a comment; put quotes around it"
                ));
            }
        }
        let within = self.section(section);
        let entries: Vec<Entry> =
            within.clone().flat_map(|at| self.lines.get(at).and_then(|line| self.entry(at, line, key))).collect();
        let (commented, active): (Vec<&Entry>, Vec<&Entry>) = entries.iter().partition(|entry| entry.mark > 0);
        let mut lines: Vec<Vec<u8>> = self.lines.iter().map(|line| line.to_vec()).collect();
        match (edit, &active[..], &commented[..]) {
            (Edit::Uncomment(_), [_, ..], _) | (Edit::Remove(_), [], _) => {}
            (Edit::Uncomment(_), [], [only]) => {
                let line = self.lines[only.line];
                let start = line.len() - line.trim_ascii_start().len();
                lines[only.line] = [&line[..start], &line[only.mark..]].concat();
            }
            (Edit::Uncomment(_), [], []) => return Err(format!("no line \"{key}\", commented or not")),
            (Edit::Uncomment(_), [], more) => {
                return Err(format!("{} commented lines \"{key}\"; use set", more.len()));
            }
            (Edit::Remove(_), all, _) => all.iter().for_each(|entry| lines[entry.line].clear()),
            (Edit::Set(_, value), [only], _) => {
                let line = self.lines[only.line];
                let new = value.to_string().into_bytes();
                lines[only.line] = [&line[..only.value.start], &new, &line[only.value.end..]].concat();
            }
            (Edit::Set(_, _), [_, _, ..], _) => {
                return Err(format!("{} lines set \"{key}\"; name its section", active.len()));
            }
            (Edit::Set(_, value), [], commented) => {
                let separator = match commented {
                    [only] => self.separator_of(only, key),
                    _ => self.separator(),
                };
                let new = format!("{key}{separator}{value}");
                let at = match (commented, section) {
                    ([only], _) => only.line + 1,
                    (_, Some(name)) if within.is_empty() => return Ok(self.with_section(lines, name, &new)),
                    (_, Some(_)) => self.end_of(within),
                    (_, None) => self.end_of(0..self.first_head().unwrap_or(self.lines.len())),
                };
                if self.is_properties && at.checked_sub(1).is_some_and(|before| is_continued(self.lines[before])) {
                    return Err("its last line ends with a backslash, which continues it".to_owned());
                }
                self.insert(&mut lines, at, &new);
            }
        }
        Ok(lines.concat())
    }

    /// The lines of a section, its head included; without a name those of the whole file. Empty where there is none.
    fn section(&self, section: Option<&str>) -> std::ops::Range<usize> {
        let heads = || self.lines.iter().enumerate().filter_map(|(at, line)| Some((at, head(line)?)));
        let Some(section) = section else { return 0..self.lines.len() };
        let Some((begin, _)) = heads().find(|(_, name)| *name == section.as_bytes()) else { return 0..0 };
        begin..heads().map(|(at, _)| at).find(|at| *at > begin).unwrap_or(self.lines.len())
    }

    /// The line, where it sets this key or would without a comment mark.
    fn entry(&self, at: usize, line: &[u8], key: &str) -> Option<Entry> {
        let text = without_end(line);
        let bom = if at == 0 && text.starts_with(b"\xef\xbb\xbf") { 3 } else { 0 };
        let skip = |from: usize, of: &[u8]| from + text[from..].iter().take_while(|byte| of.contains(byte)).count();
        let start = skip(bom, b" \t");
        let marks = match &text[start..] {
            [b'/', b'/', ..] => start + 2,
            _ => skip(start, if self.is_properties { b"#!" } else { b"#;" }),
        };
        let begin = skip(marks, b" \t");
        let mark = if marks > start { begin } else { 0 };
        let exported = if text[begin..].starts_with(b"export ") { skip(begin + 7, b" ") } else { begin };
        let rest = text[exported..].strip_prefix(key.as_bytes())?;
        let sign = text.len() - rest.len() + rest.iter().take_while(|byte| b" \t".contains(byte)).count();
        if !matches!(text.get(sign), Some(b'=' | b':')) {
            return None;
        }
        let from = skip(sign + 1, b" \t");
        Some(Entry { line: at, mark, value: from..from + self.value_length(&text[from..]) })
    }

    /// How much of the rest of a line is the value: without the space at its end, and a comment behind it.
    fn value_length(&self, rest: &[u8]) -> usize {
        let quoted = rest.first().filter(|first| matches!(first, b'"' | b'\''));
        let closed = quoted.and_then(|quote| rest[1..].iter().position(|byte| byte == quote));
        let from = closed.map_or(0, |at| at + 2);
        let is_comment = |at: &usize| matches!(rest[*at], b'#' | b';') && *at > 0 && b" \t".contains(&rest[*at - 1]);
        let end = (from..rest.len()).find(is_comment).filter(|_| !self.is_properties).unwrap_or(rest.len());
        rest[..end].trim_ascii_end().len()
    }

    /// What stands between key and value of a line.
    fn separator_of(&self, entry: &Entry, key: &str) -> &'static str {
        let before = &self.lines[entry.line][..entry.value.start];
        let key_end = memchr::memmem::rfind(before, key.as_bytes()).map_or(0, |at| at + key.len());
        if before[key_end..].starts_with(b" ") { " = " } else { "=" }
    }

    /// What stands between key and value here.
    fn separator(&self) -> &'static str {
        let is_spaced = |line: &[u8]| {
            let sign = line.iter().position(|byte| *byte == b'=')?;
            Some(sign > 0 && line[sign - 1] == b' ')
        };
        match self.lines.iter().filter(|line| !b"#;".contains(&line[0])).find_map(|line| is_spaced(line)) {
            Some(true) => " = ",
            _ => "=",
        }
    }

    fn line_end(&self) -> &'static [u8] {
        if self.lines.first().is_some_and(|line| line.ends_with(b"\r\n")) { b"\r\n" } else { b"\n" }
    }

    fn first_head(&self) -> Option<usize> {
        self.lines.iter().position(|line| head(line).is_some())
    }

    /// Behind the last of these lines that is not blank.
    fn end_of(&self, mut lines: std::ops::Range<usize>) -> usize {
        let begin = lines.start;
        lines.rfind(|at| !self.lines[*at].trim_ascii().is_empty()).map_or(begin, |last| last + 1)
    }

    fn insert(&self, lines: &mut Vec<Vec<u8>>, at: usize, new: &str) {
        if let Some(before) = at.checked_sub(1).and_then(|before| lines.get_mut(before))
            && !before.ends_with(b"\n")
        {
            before.extend_from_slice(self.line_end());
        }
        lines.insert(at, [new.as_bytes(), self.line_end()].concat());
    }

    fn with_section(&self, mut lines: Vec<Vec<u8>>, name: &str, new: &str) -> Vec<u8> {
        let end = self.line_end();
        if let Some(last) = lines.last_mut() {
            if !last.ends_with(b"\n") {
                last.extend_from_slice(end);
            }
            lines.push(end.to_vec());
        }
        lines.push([b"[", name.as_bytes(), b"]", end].concat());
        lines.push([new.as_bytes(), end].concat());
        lines.concat()
    }
}

fn head(line: &[u8]) -> Option<&[u8]> {
    let name = line.trim_ascii().strip_prefix(b"[")?.strip_suffix(b"]")?;
    Some(name.trim_ascii())
}

/// Whether a line of properties goes on in the next one.
fn is_continued(line: &[u8]) -> bool {
    let text = without_end(line);
    let backslashes = text.iter().rev().take_while(|byte| **byte == b'\\').count();
    let is_comment = matches!(text.trim_ascii_start().first(), Some(b'#' | b'!'));
    backslashes % 2 == 1 && !is_comment
}

fn without_end(line: &[u8]) -> &[u8] {
    let line = line.strip_suffix(b"\n").unwrap_or(line);
    line.strip_suffix(b"\r").unwrap_or(line)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::format::SettingValue;
    use super::*;

    fn text(value: &str) -> SettingValue {
        SettingValue::Text(value.to_owned())
    }

    #[test]
    fn a_key_is_edited_and_all_else_stays() {
        let x = text("x y");
        for (file, before, section, edit, after) in [
            ("a.ini", "# data = /old\r\nb = 1\r\n", None, Edit::Uncomment("data"), "data = /old\r\nb = 1\r\n"),
            ("a.ini", "  ;;  data=1\n", None, Edit::Uncomment("data"), "  data=1\n"),
            ("a.ini", "data=1\n#data=2\n", None, Edit::Uncomment("data"), "data=1\n#data=2\n"),
            ("a.ini", "a = 1 ; why\nb = 2", None, Edit::Set("a", &x), "a = x y ; why\nb = 2"),
            ("a.ini", "a = \"1 # 2\"  # why\n", None, Edit::Set("a", &x), "a = x y  # why\n"),
            ("a.ini", "aa=1\n", None, Edit::Set("a", &x), "aa=1\na=x y\n"),
            ("a.ini", "b = 2\n# a = 1\nc = 3", None, Edit::Set("a", &x), "b = 2\n# a = 1\na = x y\nc = 3"),
            ("a.ini", ";a = 1\n", None, Edit::Set("a", &x), ";a = 1\na = x y\n"),
            ("a.ini", "b = 2", None, Edit::Set("a", &x), "b = 2\na = x y\n"),
            ("a.ini", "b=2\n\n[s]\na2=1\n", None, Edit::Set("a", &x), "b=2\na=x y\n\n[s]\na2=1\n"),
            ("a.ini", "[r]\na=1\n[s]\na=2\n", Some("s"), Edit::Set("a", &x), "[r]\na=1\n[s]\na=x y\n"),
            ("a.ini", "[r]\na=1\n\n[s]\n", Some("r"), Edit::Set("b", &x), "[r]\na=1\nb=x y\n\n[s]\n"),
            ("a.ini", "[r]\r\na=1", Some("s"), Edit::Set("a", &x), "[r]\r\na=1\r\n\r\n[s]\r\na=x y\r\n"),
            ("a.ini", "", None, Edit::Set("a", &x), "a=x y\n"),
            ("a.ini", "a=1\nb=2\na=3\n", None, Edit::Remove("a"), "b=2\n"),
            ("a.ini", "#a=1\n", None, Edit::Remove("a"), "#a=1\n"),
            ("env", "export A=\"1\"\n", None, Edit::Set("A", &x), "export A=x y\n"),
            ("a.properties", "a.b=1 # 2\\\n  3\nc: 4\n", None, Edit::Set("a.b", &x), "a.b=x y\nc: 4\n"),
            ("a.properties", "c: 4\n! a = 1\n", None, Edit::Uncomment("a"), "c: 4\na = 1\n"),
            ("a.ini", "\u{feff}a=1\n", None, Edit::Set("a", &x), "\u{feff}a=x y\n"),
            ("a.conf", "//a=1\n", None, Edit::Uncomment("a"), "a=1\n"),
            ("a.toml", "# first\na = 1 # why\nb = [\n 1 ]\n", None, Edit::Remove("b"), "# first\na = 1 # why\n"),
            ("a.toml", "# first\na = '1' # why\n", None, Edit::Set("a", &x), "# first\na = \"x y\" # why\n"),
            (
                "a.toml",
                "a = 1\r\n[s]\r\n# c\r\nb = 2\r\n",
                Some("s"),
                Edit::Set("b", &SettingValue::Number(3)),
                "a = 1\r\n[s]\r\n# c\r\nb = 3\r\n",
            ),
            (
                "a.toml",
                "a = 1\r\n[s]\r\nb = 2\r\n\r\n[t]\r\n",
                Some("s"),
                Edit::Set("c.d", &SettingValue::Truth(true)),
                "a = 1\r\n[s]\r\nb = 2\r\nc.d = true\r\n\r\n[t]\r\n",
            ),
            ("a.toml", "[s]\n#data = 1\n", Some("s"), Edit::Uncomment("data"), "[s]\ndata = 1\n"),
            ("a.toml", "a = 1\n", Some("s.t"), Edit::Set("b", &x), "a = 1\n\n[s.t]\nb = \"x y\"\n"),
        ] {
            let is = edited(Path::new(file), before.as_bytes(), section, edit);
            let is = is.map(|bytes| String::from_utf8(bytes).unwrap());
            assert_eq!(is.as_deref(), Ok(after), "{before:?} {edit:?}");
            let again = edited(Path::new(file), after.as_bytes(), section, edit).unwrap();
            assert_eq!(String::from_utf8(again).unwrap(), after, "twice: {before:?} {edit:?}");
        }
    }

    #[test]
    fn what_is_not_clear_is_refused() {
        let x = text("x");
        for (file, before, edit, why) in [
            ("a.ini", "a=1\na=2\n", Edit::Set("a", &x), "2 lines set \"a\"; name its section"),
            ("a.ini", "b=1\n", Edit::Uncomment("a"), "no line \"a\", commented or not"),
            ("a.ini", "#a=1\n;a=2\n", Edit::Uncomment("a"), "2 commented lines \"a\"; use set"),
            ("a.ini", "\u{0}", Edit::Remove("a"), ""),
            ("a.toml", "a = {b = 1}\n", Edit::Remove("a.b"), "\"a.b\" stands in an inline table; edit it by hand"),
            ("a.toml", "a = \n", Edit::Remove("a"), "not valid TOML: "),
        ] {
            match edited(Path::new(file), before.as_bytes(), None, edit) {
                Ok(after) => assert_eq!((after, ""), (before.as_bytes().to_vec(), why)),
                Err(told) => assert!(told.starts_with(why) && !why.is_empty(), "{before:?}: {told}"),
            }
        }
        assert!(edited(Path::new("a.ini"), b"\xff\xfea\0", None, Edit::Remove("a")).is_err());
        for (file, value, is_refused) in [
            ("a.ini", "/o ; p", true),
            ("a.ini", "\"/o ; p\"", false),
            ("a.ini", "a;b", false),
            ("a.properties", "/o # p", false),
        ] {
            let set = edited(Path::new(file), b"a = 1\n", None, Edit::Set("a", &text(value)));
            assert_eq!(set.is_err(), is_refused, "{value}: {set:?}");
        }
    }

    proptest! {
        #[test]
        fn other_lines_stay_whatever_they_hold(
            lines in proptest::collection::vec("[a-c#;=:\\[\\] \\\\\"é\r]{0,9}", 0..8),
            extension in prop_oneof![Just("ini"), Just("properties"), Just("env")],
        ) {
            let before = lines.join("\n");
            let value = text("v");
            let file = format!("x.{extension}");
            for edit in [Edit::Set("b", &value), Edit::Remove("b"), Edit::Uncomment("b")] {
                let Ok(after) = edited(Path::new(&file), before.as_bytes(), None, edit) else { continue };
                prop_assert_eq!(&edited(Path::new(&file), &after, None, edit), &Ok(after.clone()));
                let after = String::from_utf8(after).unwrap();
                let mut rest = after.as_str();
                for line in before.lines().filter(|line| !line.contains('b')) {
                    // Continued lines belong to the line before them.
                    if extension == "properties" && before.contains('\\') {
                        continue;
                    }
                    let at = rest.find(line);
                    prop_assert!(at.is_some(), "{:?} lost of {:?}: {:?}", line, before, after);
                    rest = &rest[at.unwrap() + line.len()..];
                }
            }
        }
    }
}
