//! The words of a command line that is given as one.

use crate::failure::{Failure, exit};

/// The words of a command line, split as a shell does it.
pub fn words(line: &str) -> Result<Vec<String>, Failure> {
    shell_words::split(line)
        .map_err(|_| Failure::new(exit::CALL, format!("unclosed quote in: {line}"), Some("close it")))
}
