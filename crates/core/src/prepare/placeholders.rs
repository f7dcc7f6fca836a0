//! What `{home}`, `{version}` and `{home:NAME}` stand for.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use super::error::PrepareError;
use crate::naming::Version;

/// What placeholders stand for in the texts of one tool. Any other text in braces stays as it is.
#[derive(Debug, Clone)]
pub struct Placeholders {
    /// The tool's home, where it will lie.
    pub home: PathBuf,
    pub version: Version,
    pub homes: HashMap<String, PathBuf>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Part<'a> {
    Text(&'a str),
    Home,
    Version,
    HomeOf(&'a str),
    /// An environment variable, when a launcher runs.
    Variable(&'a str),
}

/// The parts of a text, in order.
pub(super) fn parts(text: &str) -> Vec<Part<'_>> {
    let mut parts = Vec::new();
    let (mut begin, mut at) = (0, 0);
    while let Some(open) = text[at..].find('{').map(|found| at + found) {
        let close = text[open..].find('}').map(|found| open + found);
        let part = close.and_then(|close| Some((close, placeholder(&text[open + 1..close])?)));
        let Some((close, part)) = part else {
            at = open + 1;
            continue;
        };
        if begin < open {
            parts.push(Part::Text(&text[begin..open]));
        }
        parts.push(part);
        (begin, at) = (close + 1, close + 1);
    }
    if begin < text.len() {
        parts.push(Part::Text(&text[begin..]));
    }
    parts
}

fn placeholder(inside: &str) -> Option<Part<'_>> {
    let is_name = |name: &str| !name.is_empty() && name.chars().all(|c| c.is_alphanumeric() || "._-".contains(c));
    match inside.split_once(':') {
        None if inside == "home" => Some(Part::Home),
        None if inside == "version" => Some(Part::Version),
        Some(("home", name)) if is_name(name) => Some(Part::HomeOf(name)),
        Some(("variable", name)) if is_name(name) => Some(Part::Variable(name)),
        _ => None,
    }
}

impl Placeholders {
    /// A text with everything filled in. `escape` is applied to what is filled in.
    pub(super) fn fill(&self, text: &str, escape: impl Fn(String) -> String) -> Result<String, PrepareError> {
        let mut filled = String::new();
        for part in parts(text) {
            match part {
                Part::Text(text) => filled.push_str(text),
                Part::Home => filled.push_str(&escape(in_text(&self.home)?)),
                Part::Version => filled.push_str(&escape(self.version.to_string())),
                Part::HomeOf(name) => filled.push_str(&escape(in_text(self.home_of(name)?)?)),
                Part::Variable(name) => filled.push_str(&format!("{{variable:{name}}}")),
            }
        }
        Ok(filled)
    }

    pub(super) fn home_of(&self, name: &str) -> Result<&Path, PrepareError> {
        self.homes.get(name).map(PathBuf::as_path).ok_or_else(|| PrepareError::NoTool(name.to_owned()))
    }
}

pub(super) fn in_text(path: &Path) -> Result<String, PrepareError> {
    let text = path.to_str().filter(|text| !text.contains(['\n', '\r']));
    text.map(str::to_owned).ok_or_else(|| PrepareError::Path(path.to_owned()))
}

pub fn tools_named(text: &str) -> impl Iterator<Item = &str> {
    parts(text).into_iter().filter_map(|part| if let Part::HomeOf(name) = part { Some(name) } else { None })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_known_placeholders_are_filled_in() {
        let places = Placeholders {
            home: PathBuf::from("/y/tide log"),
            version: "4.2.1".parse().unwrap(),
            homes: HashMap::from([("driftc".to_owned(), PathBuf::from("/opt/drift"))]),
        };
        for (text, expected) in [
            ("{home}/conf", "/y/tide log/conf"),
            ("{{home}} {0} ${X} {", "{/y/tide log} {0} ${X} {"),
            ("{version}-{home:driftc}/data", "4.2.1-/opt/drift/data"),
            ("{variable:DRIFT_HOME}/bin", "{variable:DRIFT_HOME}/bin"),
            ("no", "no"),
        ] {
            assert_eq!(places.fill(text, |text| text).as_deref(), Ok(expected), "{text}");
        }
        let unknown = places.fill("{home:shoal}", |text| text);
        assert_eq!(unknown.unwrap_err().to_string(), "{home:shoal}: no such tool in the waybill or in the yard");
    }
}
