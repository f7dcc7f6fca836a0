use std::io;
use std::process::ExitStatus;

/// What the maker of a seal tells of the program in it.
#[derive(Debug)]
pub enum SealReport {
    /// It ended by itself.
    Exited(ExitStatus),
    /// It could not be started.
    NotStarted(io::Error),
    /// The seal could not be made.
    NoSeal(String),
}
