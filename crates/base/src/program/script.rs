//! What runs a script, by its first line.

use std::path::PathBuf;

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Interpreter {
    File(PathBuf),
    /// A command, which `env` looks up in PATH (env(1)).
    Named(String),
}

impl Interpreter {
    /// Reads what stands behind `#!` as the kernel does (execve(2), "Interpreter scripts"), and the words of `env` behind that;
    /// `None` where it depends on the folder one is in.
    pub fn of(line: &str) -> Option<Self> {
        let mut words = line.split_whitespace();
        let file = PathBuf::from(words.next()?);
        if !file.starts_with("/") {
            return None;
        }
        if file.file_name().is_none_or(|name| name != "env") {
            return Some(Self::File(file));
        }
        let is_name = |word: &&str| !word.starts_with('-') && !word.contains('=');
        let name = words.find(is_name)?;
        Some(if name.contains('/') { Self::File(name.into()) } else { Self::Named(name.to_owned()) })
    }

    pub fn name(&self) -> String {
        match self {
            Self::File(file) => file.file_name().unwrap_or_default().to_string_lossy().into_owned(),
            Self::Named(name) => name.clone(),
        }
    }

    pub fn describe(&self) -> String {
        match self {
            Self::File(file) => format!("the interpreter {}", file.display()),
            Self::Named(name) => format!("the interpreter {name}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_line_names_a_file_or_a_command() {
        let file = |path: &str| Some(Interpreter::File(path.into()));
        let named = |name: &str| Some(Interpreter::Named(name.to_owned()));
        for (line, expected) in [
            ("/bin/sh", file("/bin/sh")),
            (" /opt/tide/bin/tide -x", file("/opt/tide/bin/tide")),
            ("/usr/bin/env tide3", named("tide3")),
            ("/usr/bin/env -S tide3 --flag", named("tide3")),
            ("/usr/bin/env -i A=1 tide3", named("tide3")),
            ("/usr/bin/env /opt/tide", file("/opt/tide")),
            ("/usr/bin/env", None),
            ("tide", None),
            ("", None),
        ] {
            assert_eq!(Interpreter::of(line), expected, "{line}");
        }
    }
}
