//! What a server says of a file: its name, its length, its part.

use super::address::{Address, percent_decoded};

/// The longest name that is kept, in bytes.
const LONGEST: usize = 150;

/// The file's name: from `Content-Disposition` (RFC 6266), else the last part of the address; made safe for every system.
pub fn file_name(disposition: Option<&str>, address: &Address) -> String {
    let told = disposition.and_then(of_disposition).and_then(|name| safe(&name));
    told.or_else(|| safe(&address.last_part())).unwrap_or_else(|| "download".to_owned())
}

/// `filename*=UTF-8''NAME` counts before `filename=NAME` (RFC 6266, 4.3; RFC 8187).
fn of_disposition(text: &str) -> Option<String> {
    let parameter = |wanted: &str| {
        parameters(text).into_iter().find(|(name, _)| name.eq_ignore_ascii_case(wanted)).map(|(_, value)| value)
    };
    let extended = parameter("filename*").and_then(|value| {
        let (charset, rest) = value.split_once('\'')?;
        let (_, name) = rest.split_once('\'')?;
        charset.eq_ignore_ascii_case("utf-8").then(|| percent_decoded(name))
    });
    extended.or_else(|| parameter("filename"))
}

/// The parameters behind the first word: `name=value` or `name="value"`, separated by `;`.
fn parameters(text: &str) -> Vec<(String, String)> {
    let mut found = Vec::new();
    let mut rest = text.split_once(';').map_or("", |(_, rest)| rest);
    while let Some((name, after)) = rest.split_once('=') {
        let after = after.trim_start();
        let (value, left) = match after.strip_prefix('"') {
            Some(quoted) => {
                let mut value = String::new();
                let mut characters = quoted.char_indices();
                let mut end = quoted.len();
                while let Some((at, character)) = characters.next() {
                    match character {
                        '"' => {
                            end = at + 1;
                            break;
                        }
                        '\\' => value.extend(characters.next().map(|(_, next)| next)),
                        other => value.push(other),
                    }
                }
                (value, &quoted[end..])
            }
            None => {
                let end = after.find(';').unwrap_or(after.len());
                (after[..end].trim().to_owned(), &after[end..])
            }
        };
        found.push((name.trim().trim_start_matches(';').trim().to_owned(), value));
        rest = left.trim_start_matches([';', ' ']);
    }
    found
}

/// A name that every system takes and that leads into no other folder ("Naming Files, Paths, and Namespaces").
fn safe(name: &str) -> Option<String> {
    let last = name.rsplit(['/', '\\']).next().unwrap_or_default();
    let plain = |c: char| if c.is_control() || "<>:\"|?*".contains(c) { '_' } else { c };
    let name: String = last.chars().map(plain).collect();
    let mut name = name.trim().trim_end_matches(['.', ' ']);
    while name.len() > LONGEST {
        let mut characters = name.chars();
        characters.next();
        name = characters.as_str();
    }
    let stem = name.split('.').next().unwrap_or_default().to_ascii_uppercase();
    let is_device = ["CON", "PRN", "AUX", "NUL"].contains(&&*stem)
        || (stem.len() == 4 && (stem.starts_with("COM") || stem.starts_with("LPT")));
    match name {
        "" => None,
        name if is_device || name.starts_with('.') => Some(format!("_{name}")),
        name => Some(name.to_owned()),
    }
}

/// First byte and whole length by `Content-Range: bytes FIRST-LAST/LENGTH` (RFC 9110, 14.4).
pub fn content_range(text: &str) -> Option<(u64, Option<u64>)> {
    let (range, length) = text.trim().strip_prefix("bytes")?.trim().split_once('/')?;
    let first = range.split_once('-')?.0.trim().parse().ok()?;
    Some((first, length.trim().parse().ok()))
}

/// The title of a page, where the text begins as one does.
pub fn page_title(start: &[u8]) -> Option<Option<String>> {
    let text = String::from_utf8_lossy(start);
    let text = text.trim_start_matches('\u{feff}').trim_start();
    let lower = text.to_ascii_lowercase();
    if !lower.starts_with("<!doctype html") && !lower.starts_with("<html") {
        return None;
    }
    let title = lower.find("<title").and_then(|at| Some(at + lower[at..].find('>')? + 1));
    let title = title.and_then(|begin| Some(text[begin..begin + lower[begin..].find("</title")?].trim().to_owned()));
    Some(title.filter(|title| !title.is_empty()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_those_of_the_server_and_safe() {
        let address = Address::parse("https://ebb.example/get/tidelog%2D4.2.1.zip?id=7").unwrap();
        for (disposition, name) in [
            (None, "tidelog-4.2.1.zip"),
            (Some("attachment"), "tidelog-4.2.1.zip"),
            (Some("attachment; filename=shoal.zip"), "shoal.zip"),
            (Some("attachment; filename=\"sho al;1.zip\"; size=3"), "sho al;1.zip"),
            (Some("attachment; filename=\"a.zip\"; filename*=UTF-8''fl%C3%BCt.zip"), "flüt.zip"),
            (Some("attachment; filename*=iso-8859-1''x.zip; filename=b.zip"), "b.zip"),
            (Some("inline; filename=\"../../.bashrc\""), "_.bashrc"),
            (Some("inline; filename=\"..\\\\..\\\\x.zip\""), "x.zip"),
            (Some("attachment; filename=\"\""), "tidelog-4.2.1.zip"),
            (Some("attachment; filename=con.zip"), "_con.zip"),
            (Some("attachment; filename=\"a:b?.zip. \""), "a_b_.zip"),
            (Some("attachment; filename=\"unclosed.zip"), "unclosed.zip"),
        ] {
            assert_eq!(file_name(disposition, &address), name, "{disposition:?}");
        }
        assert_eq!(file_name(None, &Address::parse("https://ebb.example/").unwrap()), "download");
    }

    #[test]
    fn parts_and_pages_are_read() {
        assert_eq!(content_range("bytes 5-9/10"), Some((5, Some(10))));
        assert_eq!(content_range("bytes 5-9/*"), Some((5, None)));
        assert_eq!(content_range("lines 5-9/10"), None);
        assert_eq!(page_title(b"\n<!DOCTYPE HTML><head><title> Sign in </title>"), Some(Some("Sign in".to_owned())));
        assert_eq!(page_title(b"<html lang=en>"), Some(None));
        assert_eq!(page_title(b"PK\x03\x04<html>"), None);
    }
}
