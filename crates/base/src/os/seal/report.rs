use std::io;
use std::process::ExitStatus;

/// What the maker of a seal tells of the program in it.
#[derive(Debug)]
pub enum SealReport {
    Exited(ExitStatus),
    NotStarted(io::Error),
    NoSeal(String),
}
