//! A path in a report, without loss.

use std::borrow::Cow;
use std::ffi::{OsStr, OsString};
use std::fmt;
use std::ops::Deref;
use std::path::{Path, PathBuf};

use serde::de::Error as _;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use crate::os;

/// A path, or another name of the system. It is written as text; where it is not Unicode, as the text that comes nearest
/// beside its exact bytes in hex, and read back from either.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ReportPath(PathBuf);

#[derive(Serialize, Deserialize, schemars::JsonSchema)]
struct Exact {
    path: String,
    #[serde(with = "hex::serde")]
    #[schemars(with = "String")]
    path_bytes: Vec<u8>,
}

impl schemars::JsonSchema for ReportPath {
    fn schema_name() -> Cow<'static, str> {
        "Path".into()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        let exact = generator.subschema_for::<Exact>();
        schemars::json_schema!({
            "description": "A path as text; where it isn't Unicode, the nearest text and the exact bytes in hex.",
            "anyOf": [{ "type": "string" }, exact],
        })
    }
}

impl ReportPath {
    /// As text; what is not Unicode in it is replaced.
    pub fn text(&self) -> Cow<'_, str> {
        self.0.to_string_lossy()
    }

    pub fn into_path(self) -> PathBuf {
        self.0
    }

    /// The exact bytes in hex, where they are not Unicode.
    pub fn exact(&self) -> Option<String> {
        self.0.to_str().is_none().then(|| hex::encode(self.0.as_os_str().as_encoded_bytes()))
    }
}

impl Serialize for ReportPath {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self.0.to_str() {
            Some(text) => serializer.serialize_str(text),
            None => {
                let (path, path_bytes) = (self.text().into_owned(), self.0.as_os_str().as_encoded_bytes().to_vec());
                Exact { path, path_bytes }.serialize(serializer)
            }
        }
    }
}

impl<'de> Deserialize<'de> for ReportPath {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        #[derive(Deserialize)]
        #[serde(untagged)]
        enum Written {
            Text(String),
            Exact(Exact),
        }
        match Written::deserialize(deserializer)? {
            Written::Text(text) => Ok(Self(text.into())),
            Written::Exact(exact) => {
                let path = PathBuf::from(os::name_from_bytes(exact.path_bytes));
                let fits = path.to_string_lossy() == exact.path;
                if fits { Ok(Self(path)) } else { Err(D::Error::custom("path and path_bytes are not the same path")) }
            }
        }
    }
}

impl Deref for ReportPath {
    type Target = Path;

    fn deref(&self) -> &Path {
        &self.0
    }
}

impl AsRef<Path> for ReportPath {
    fn as_ref(&self) -> &Path {
        &self.0
    }
}

impl AsRef<OsStr> for ReportPath {
    fn as_ref(&self) -> &OsStr {
        self.0.as_os_str()
    }
}

impl fmt::Display for ReportPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.display().fmt(f)
    }
}

impl<T: Into<OsString>> From<T> for ReportPath {
    fn from(path: T) -> Self {
        Self(PathBuf::from(path.into()))
    }
}

impl PartialEq<Path> for ReportPath {
    fn eq(&self, other: &Path) -> bool {
        self.0 == other
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[cfg_attr(windows, ignore = "names are Unicode there")]
    fn a_path_that_is_no_text_comes_back_to_the_byte() {
        let odd = ReportPath::from(os::name_from_bytes(b"/h\xff/t".to_vec()));
        let written = serde_json::to_string(&odd).unwrap();
        assert_eq!(written, r#"{"path":"/h�/t","path_bytes":"2f68ff2f74"}"#);
        assert_eq!(serde_json::from_str::<ReportPath>(&written).unwrap(), odd);
        assert!(serde_json::from_str::<ReportPath>(r#"{"path":"/h/t","path_bytes":"2f68ff2f74"}"#).is_err());
        let plain = ReportPath::from("/h/t");
        assert_eq!(serde_json::to_string(&plain).unwrap(), r#""/h/t""#);
        let card = toml::from_str::<std::collections::BTreeMap<String, ReportPath>>(
            &toml::to_string(&std::collections::BTreeMap::from([("home".to_owned(), odd.clone())])).unwrap(),
        );
        assert_eq!(card.unwrap()["home"], odd);
    }
}
