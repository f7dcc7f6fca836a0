//! Editing a key of a TOML file, byte by byte where it stands.

use toml_edit::{Document, DocumentMut, Item, Key, Table, TableLike, value};

use super::format::{Edit, SettingValue};

/// What is done to a key of a file. Keys and sections may be dotted.
pub(super) fn edited(content: &[u8], section: Option<&str>, edit: Edit<'_>) -> Result<Vec<u8>, String> {
    let text = str::from_utf8(content).map_err(|_| "not UTF-8".to_owned())?;
    let (Edit::Uncomment(key) | Edit::Set(key, _) | Edit::Remove(key)) = edit;
    let wrong = |error: toml_edit::TomlError| format!("not valid TOML: {}", error.message());
    let document = Document::parse(text).map_err(wrong)?;
    let mut path = Vec::new();
    for part in section.into_iter().chain([key]) {
        path.extend(Key::parse(part).map_err(|_| format!("\"{part}\" is not a TOML key"))?);
    }
    let after = match (edit, find(document.as_item(), &path)) {
        (Edit::Remove(_), None) => text.to_owned(),
        (Edit::Uncomment(_), Some(_)) => text.to_owned(),
        (Edit::Remove(_), Some(_)) => {
            let lines = lines_of(&document, &path).ok_or_else(|| {
                let inside = "stands in an inline table; edit it by hand";
                format!("\"{key}\" {inside}")
            })?;
            format!("{}{}", &text[..lines.start], &text[lines.end..])
        }
        (Edit::Set(_, new), Some(item)) if is(item, new) => text.to_owned(),
        (Edit::Set(_, new), Some(item)) => match item.as_value().and(item.span()) {
            Some(span) => format!("{}{}{}", &text[..span.start], as_toml(new), &text[span.end..]),
            None => return Err(format!("\"{key}\" is a table")),
        },
        (Edit::Set(_, new), None) => inserted(text, &path, section, new)?,
        (Edit::Uncomment(_), None) => uncommented(text, &path, section, key)?,
    };
    Document::parse(after.as_str()).map_err(|error| format!("would not be valid TOML: {}", error.message()))?;
    Ok(after.into_bytes())
}

fn find<'a>(item: &'a Item, path: &[Key]) -> Option<&'a Item> {
    path.iter().try_fold(item, |item, key| item.as_table_like()?.get(key.get()))
}

/// Whether an item has this value, however it is written.
fn is(item: &Item, value: &SettingValue) -> bool {
    match value {
        SettingValue::Truth(truth) => item.as_bool() == Some(*truth),
        SettingValue::Number(number) => item.as_integer() == Some(*number),
        SettingValue::Text(text) => item.as_str() == Some(text),
    }
}

fn as_toml(new: &SettingValue) -> String {
    match new {
        SettingValue::Truth(truth) => truth.to_string(),
        SettingValue::Number(number) => number.to_string(),
        SettingValue::Text(text) => toml_edit::Value::from(text.as_str()).to_string(),
    }
}

/// The lines on which a key and its value stand; `None` where other keys stand on them.
fn lines_of(document: &Document<&str>, path: &[Key]) -> Option<std::ops::Range<usize>> {
    let text = document.raw();
    let (last, above) = path.split_last()?;
    let table = find(document.as_item(), above)?;
    let table: &dyn TableLike = table.as_table().map(|table| table as &dyn TableLike)?;
    let (key, item) = table.get_key_value(last.get())?;
    let (start, end) = (key.span()?.start, item.as_value().and(item.span())?.end);
    let start = text[..start].rfind('\n').map_or(0, |at| at + 1);
    let end = text[end..].find('\n').map_or(text.len(), |at| end + at + 1);
    Some(start..end)
}

fn inserted(text: &str, path: &[Key], section: Option<&str>, new: &SettingValue) -> Result<String, String> {
    let is_dos = text.contains("\r\n");
    let mut document: DocumentMut =
        text.replace("\r\n", "\n").parse().map_err(|error: toml_edit::TomlError| error.message().to_owned())?;
    let in_section = section.map_or(0, |section| Key::parse(section).map_or(0, |parts| parts.len()));
    let mut table: &mut dyn TableLike = document.as_table_mut();
    for (depth, key) in path.iter().take(path.len() - 1).enumerate() {
        let missing = || {
            let mut table = Table::new();
            // What only holds tables gets no head of its own.
            table.set_implicit(depth + 1 < in_section);
            table.set_dotted(depth >= in_section);
            Item::Table(table)
        };
        let item = table.entry_format(key).or_insert_with(missing);
        table = item.as_table_like_mut().ok_or_else(|| format!("\"{}\" is not a table", key.get()))?;
    }
    let last = path.last().map(Key::get).unwrap_or_default();
    let new = match new {
        SettingValue::Truth(truth) => value(*truth),
        SettingValue::Number(number) => value(*number),
        SettingValue::Text(text) => value(text.as_str()),
    };
    table.insert(last, new);
    let after = document.to_string();
    Ok(if is_dos { after.replace('\n', "\r\n") } else { after })
}

/// The text with the comment mark taken from the only line that then sets this key.
fn uncommented(text: &str, path: &[Key], section: Option<&str>, key: &str) -> Result<String, String> {
    let mut found = Vec::new();
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let bare = line.trim_start();
        if let Some(rest) = bare.strip_prefix('#').map(|rest| rest.trim_start_matches(['#', ' ', '\t'])) {
            let start = at + (line.len() - bare.len());
            let candidate = format!("{}{rest}{}", &text[..start], &text[at + line.len()..]);
            if Document::parse(candidate.as_str()).is_ok_and(|document| find(document.as_item(), path).is_some()) {
                found.push(candidate);
            }
        }
        at += line.len();
    }
    let place = section.map(|section| format!(" in [{section}]")).unwrap_or_default();
    match (found.pop(), found.len()) {
        (Some(only), 0) => Ok(only),
        (None, _) => Err(format!("no line \"{key}\", commented or not{place}")),
        (_, more) => Err(format!("{} commented lines \"{key}\"{place}; use set", more + 1)),
    }
}
