//! Names that become folders, variables and words of a command line, checked once.

use serde::{Deserialize, Serialize};

use crate::error::classified;
use crate::naming::{reserved, taken};

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NameError {
    #[error("\"{0}\" is not a valid tool name: use letters, digits and . _ + -, beginning with a letter or digit")]
    Tool(String),
    #[error("\"{0}\" is not a valid version: use letters, digits and . _ + ~ -, beginning with a letter or digit")]
    Version(String),
    #[error("\"{0}\" is not a valid variable: use letters, digits and _, not beginning with a digit")]
    Variable(String),
    #[error("\"{0}\" cannot point to a tool: it is a variable of {1}")]
    Taken(String, &'static str),
}

classified!(NameError {
    _ => Call;
});

fn is_folder_name(text: &str, extra: &[u8]) -> bool {
    text.len() <= 100
        && text.bytes().next().is_some_and(|b| b.is_ascii_alphanumeric())
        && text.bytes().all(|b| b.is_ascii_alphanumeric() || extra.contains(&b))
        && reserved::check(text).is_ok()
}

macro_rules! checked_text {
    ($(#[$doc:meta])* $name:ident, $check:expr) => {
        $(#[$doc])*
        #[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, schemars::JsonSchema)]
        #[serde(try_from = "String", into = "String")]
        pub struct $name(String);

        impl $name {
            pub fn as_str(&self) -> &str {
                &self.0
            }
        }

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str(&self.0)
            }
        }

        impl From<$name> for String {
            fn from(name: $name) -> Self {
                name.0
            }
        }

        impl TryFrom<String> for $name {
            type Error = NameError;

            fn try_from(text: String) -> Result<Self, NameError> {
                let check: fn(String) -> Result<String, NameError> = $check;
                check(text).map(Self)
            }
        }

        impl std::str::FromStr for $name {
            type Err = NameError;

            fn from_str(text: &str) -> Result<Self, NameError> {
                Self::try_from(text.to_owned())
            }
        }
    };
}

checked_text!(ToolName, |text| {
    let lower = text.to_ascii_lowercase();
    if is_folder_name(&lower, b"._+-") { Ok(lower) } else { Err(NameError::Tool(text)) }
});

checked_text!(
    /// A tool's version, without a leading `v`.
    Version,
    |text| {
        let bare = text.strip_prefix(['v', 'V']).filter(|rest| rest.starts_with(|c: char| c.is_ascii_digit()));
        let bare = bare.unwrap_or(&text);
        if is_folder_name(bare, b"._+~-") { Ok(bare.to_owned()) } else { Err(NameError::Version(text)) }
    }
);

checked_text!(
    /// The name of an environment variable (POSIX.1-2017, "Name").
    Variable,
    |text| {
        let first = text.bytes().next().is_some_and(|b| b.is_ascii_alphabetic() || b == b'_');
        if !first || !text.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'_') {
            return Err(NameError::Variable(text));
        }
        Ok(text)
    }
);

impl Variable {
    /// Whether it may point to a tool's home: nothing else obeys it.
    pub fn check_free(&self) -> Result<(), NameError> {
        taken::obeyed_by(&self.0).map_or(Ok(()), |who| Err(NameError::Taken(self.0.clone(), who)))
    }
}

impl ToolName {
    /// The usual home variable: `NAME_HOME` in capitals.
    pub fn home_variable(&self) -> Result<Variable, NameError> {
        let mut text: String =
            self.0.chars().map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_uppercase() } else { '_' }).collect();
        text.push_str("_HOME");
        let usual: Variable = text.parse()?;
        usual.check_free().map(|()| usual)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_taken_or_refused() {
        for (text, taken) in [
            ("tidelog", Some("tidelog")),
            ("TideLog", Some("tidelog")),
            ("tide-log_2.c++", Some("tide-log_2.c++")),
            ("", None),
            ("..", None),
            ("-x", None),
            ("a/b", None),
            ("a b", None),
            ("nul", None),
            ("con.x", None),
            ("a.", None),
            ("é", None),
        ] {
            assert_eq!(text.parse::<ToolName>().ok().as_ref().map(ToolName::as_str), taken, "{text}");
        }
        for (text, taken) in
            [("v4.2.1", Some("4.2.1")), ("1.0~rc1", Some("1.0~rc1")), ("vega", Some("vega")), ("../1", None)]
        {
            assert_eq!(text.parse::<Version>().ok().as_ref().map(Version::as_str), taken, "{text}");
        }
        assert_eq!("tide-log".parse::<ToolName>().unwrap().home_variable().unwrap().as_str(), "TIDE_LOG_HOME");
        assert!("7tide".parse::<ToolName>().unwrap().home_variable().is_err());
        for taken in [
            "PATH",
            "Path",
            "windir",
            "WYARD_YARD",
            "xdg_config_home",
            "LD_AUDIT",
            "DYLD_INSERT_LIBRARIES",
            "BASH_ENV",
            "ENV",
            "PROMPT_COMMAND",
            "PS1",
            "PSModulePath",
            "PYTHONHOME",
            "NODE_OPTIONS",
            "JAVA_TOOL_OPTIONS",
            "GIT_SSH",
            "EDITOR",
        ] {
            let refused = taken.parse::<Variable>().unwrap().check_free();
            assert!(matches!(refused, Err(NameError::Taken(name, _)) if name == taken), "{taken}");
        }
        for free in
            ["TIDE_HOME", "PSALM_HOME", "JAVA_HOME", "GIT_HOME", "PYTHON_HOME", "WYARDS", "WYARD_HOME", "DOTNET_ROOT"]
        {
            assert_eq!(free.parse::<Variable>().unwrap().check_free(), Ok(()), "{free}");
        }
        assert!("A-B".parse::<Variable>().is_err());
    }
}
