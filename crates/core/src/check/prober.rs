//! How programs are started to be asked for their version.

use std::time::Duration;

use crate::environment::host_system;
use crate::process::{Outcome, SealLevel, SealOptions, Sealer, Start};
use crate::progress::Stop;
use crate::session::Session;
use crate::system::System;
use crate::yard::YardError;

#[derive(Debug, Clone, Copy)]
pub(super) struct Prober<'a> {
    sealer: &'a Sealer,
    unsealed: bool,
    pub limit: Duration,
    stop: &'a Stop,
}

impl<'a> Prober<'a> {
    pub fn of(session: &'a Session) -> Result<Self, YardError> {
        let limit = session.settings()?.probe_limit();
        Ok(Self { sealer: session.sealer()?, unsealed: session.unsealed, limit, stop: &session.stop })
    }

    pub fn within(self, limit: Duration) -> Self {
        Self { limit, ..self }
    }

    /// Whether a program may be started at all: where nothing keeps it from the machine only with the user's word. Windows has
    /// no seal.
    pub fn may_start(&self) -> bool {
        self.is_sealed() || self.unsealed || host_system() == System::Windows
    }

    pub fn is_sealed(&self) -> bool {
        self.sealer.level() != SealLevel::None
    }

    /// Whether a program may be started in a way that some take for work to be done.
    pub fn may_risk(&self) -> bool {
        self.sealer.level().throws_away() || self.unsealed || host_system() == System::Windows
    }

    pub fn run(&self, start: &Start) -> Outcome {
        self.sealer.run(start, SealOptions::cut_off(), self.limit, self.stop)
    }
}
