//! What keeps a seal from being made, and whose rights make it.

use std::io::{self, Write as _};
use std::os::unix::net::UnixStream;

pub(super) struct Refused(pub &'static str, pub io::Error);

pub(super) struct StepReported;

impl Refused {
    pub fn tell(self, mut channel: &UnixStream) -> StepReported {
        let _ = writeln!(channel, "F{}: {}", self.0, self.1);
        StepReported
    }
}

pub(super) trait Step<T> {
    fn step(self, step: &'static str) -> Result<T, Refused>;
}

impl<T, E: Into<io::Error>> Step<T> for Result<T, E> {
    fn step(self, step: &'static str) -> Result<T, Refused> {
        self.map_err(|error| Refused(step, error.into()))
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Rights {
    /// An administrator's of this machine, which the program must not have.
    Superuser,
    Own,
}
