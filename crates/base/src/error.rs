//! What every error of this crate can say about itself: who has to act, and what to do next.

use std::io;
use std::path::{Path, PathBuf};

/// Who is responsible for the error, which decides the exit code of the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ErrorClass {
    /// The call is wrong: an option, a name, a value (exit 2).
    Call,
    /// The input was refused: bad, hostile or mismatching (exit 3).
    Input,
    /// The machine refused: rights, disk, lock (exit 4).
    Machine,
    /// The user interrupted the work (exit 130).
    Interrupted,
}

/// The part of an error that the interface needs beside its text.
pub trait Classified: std::error::Error + Send + Sync + 'static {
    fn class(&self) -> ErrorClass;
    /// The next thing to do, where the message itself does not say it.
    fn hint(&self) -> Option<String> {
        None
    }
}

/// What [`classified!`] takes as the next step.
pub trait NextStep {
    fn text(self) -> Option<String>;
}

impl NextStep for &str {
    fn text(self) -> Option<String> {
        Some(self.to_owned())
    }
}

impl NextStep for String {
    fn text(self) -> Option<String> {
        Some(self)
    }
}

impl NextStep for Option<String> {
    fn text(self) -> Option<String> {
        self
    }
}

/// Implements [`Classified`] for an enum of errors: rows of pattern, class and, where there is one, next step; then the
/// variants that hold another error and hand on what it says.
#[macro_export]
macro_rules! classified {
    ($error:ident { $($pattern:pat $(if $guard:expr)? => $class:expr $(, $step:expr)?;)* } $(from $($inner:ident),+)?) => {
        impl $crate::error::Classified for $error {
            #[allow(unused_variables, unused_imports, unreachable_patterns)]
            fn class(&self) -> $crate::error::ErrorClass {
                use $crate::error::ErrorClass::{Call, Input, Interrupted, Machine};
                match self {
                    $($(Self::$inner(e) => e.class(),)+)?
                    $($pattern $(if $guard)? => $class,)*
                }
            }

            #[allow(unused_variables, unreachable_patterns)]
            fn hint(&self) -> Option<String> {
                match self {
                    $($(Self::$inner(e) => e.hint(),)+)?
                    $($pattern $(if $guard)? => None::<String>$(.or($crate::error::NextStep::text($step)))?,)*
                }
            }
        }
    };
}
pub use classified;

/// A file or folder that the operating system would not let us work on.
#[derive(Debug, thiserror::Error)]
#[error("could not {doing} {}", path.display())]
pub struct FileError {
    /// What was being done, as in "could not …".
    pub doing: &'static str,
    pub path: PathBuf,
    #[source]
    pub source: io::Error,
}

impl Classified for FileError {
    fn class(&self) -> ErrorClass {
        if self.source.kind() == io::ErrorKind::Interrupted { ErrorClass::Interrupted } else { ErrorClass::Machine }
    }

    fn hint(&self) -> Option<String> {
        match self.source.kind() {
            io::ErrorKind::PermissionDenied => Some("check the permissions of that file and its folder".to_owned()),
            io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => {
                Some("free some space, or use another yard with --yard DIR".to_owned())
            }
            io::ErrorKind::ReadOnlyFilesystem => Some("use another yard with --yard DIR".to_owned()),
            _ => None,
        }
    }
}

/// Adds what was done, and to which file, to an I/O result.
pub trait FileContext<T> {
    /// Turns an [`io::Error`] into a [`FileError`].
    fn at(self, doing: &'static str, path: &Path) -> Result<T, FileError>;
}

impl<T> FileContext<T> for io::Result<T> {
    fn at(self, doing: &'static str, path: &Path) -> Result<T, FileError> {
        self.map_err(|source| FileError { doing, path: path.to_owned(), source })
    }
}
