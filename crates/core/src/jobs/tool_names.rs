//! A tool's name and version: as given, else as guessed; never invented.

use std::path::{Path, PathBuf};

use crate::archive::Format;
use crate::error::{Classified, ErrorClass};
use crate::naming::{Guess, ToolName, Version, guess};

/// Neither the file's name nor the wrapper's tells what is needed.
#[derive(Debug, thiserror::Error)]
#[error("cannot infer the tool's {1} from {0}", file.display(), missing.describe())]
pub struct NotGuessed {
    pub file: PathBuf,
    pub missing: Missing,
}

/// What a name does not tell.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Missing {
    Name,
    Version,
    Both,
}

impl Missing {
    fn describe(self) -> &'static str {
        match self {
            Self::Name => "name",
            Self::Version => "version",
            Self::Both => "name and version",
        }
    }
}

impl Classified for NotGuessed {
    fn class(&self) -> ErrorClass {
        ErrorClass::Call
    }

    fn hint(&self) -> Option<String> {
        Some(
            match self.missing {
                Missing::Name => "use --name NAME",
                Missing::Version => "use --version VERSION",
                Missing::Both => "use --name NAME --version VERSION",
            }
            .to_owned(),
        )
    }
}

/// Name and version: as given, else as guessed from the name of a file or folder.
pub(super) fn tool_names(
    name: Option<&ToolName>,
    version: Option<&Version>,
    guess: &Guess,
    file: &Path,
) -> Result<(ToolName, Version), NotGuessed> {
    let name = name.cloned().or_else(|| guess.name.as_ref()?.parse().ok());
    let version = version.cloned().or_else(|| guess.version.as_ref()?.parse().ok());
    let missing = match (name, version) {
        (Some(name), Some(version)) => return Ok((name, version)),
        (None, Some(_)) => Missing::Name,
        (Some(_), None) => Missing::Version,
        (None, None) => Missing::Both,
    };
    Err(NotGuessed { file: file.to_owned(), missing })
}

/// What the names tell: the file's, and that of the archive inside it.
pub(super) fn guess_names(file: &Path, format: &Format) -> Guess {
    let of_file = guess(&file_name(file));
    match &format.inner {
        Some(inner) => of_file.or(guess(inner)),
        None => of_file,
    }
}

pub(super) fn file_name(path: &Path) -> String {
    path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}
