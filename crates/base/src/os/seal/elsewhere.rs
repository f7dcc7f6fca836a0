//! Systems that make no seals.

use std::io;
use std::process::Command;

use super::report::SealReport;
use super::request::SealRequest;

/// The way to the maker of a seal, which there is none of here.
#[derive(Debug)]
pub struct SealChannel(std::convert::Infallible);

impl SealChannel {
    pub fn open(_command: &mut Command) -> io::Result<Self> {
        Err(io::ErrorKind::Unsupported.into())
    }

    pub fn send(&mut self, _request: &SealRequest) -> io::Result<()> {
        match self.0 {}
    }

    pub fn report(&mut self) -> Option<SealReport> {
        match self.0 {}
    }

    pub fn start_again(&mut self) -> bool {
        match self.0 {}
    }

    pub fn second_has_ended(&mut self) -> bool {
        match self.0 {}
    }

    pub fn end(self) -> Vec<String> {
        match self.0 {}
    }
}

pub fn own_program() -> Command {
    Command::new(std::env::current_exe().unwrap_or_default())
}

/// Nobody needs to know here what is mounted.
#[cfg(unix)]
pub fn mounted_places() -> Vec<std::path::PathBuf> {
    Vec::new()
}

#[cfg(unix)]
pub fn remote_places() -> Vec<std::path::PathBuf> {
    Vec::new()
}

pub fn serve_seal(_channel: i32) -> u8 {
    4
}
