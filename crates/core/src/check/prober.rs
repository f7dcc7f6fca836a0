//! How programs are started to be asked for their version.

use std::time::Duration;

use crate::environment::host_system;
use crate::os;
use crate::process::{Outcome, SealLevel, SealOptions, Sealer, Start};
use crate::progress::Stop;
use crate::session::Session;
use crate::start_policy::{self, Circumstances, Forms, NotStarted, Purpose, Whose};
use crate::yard::YardError;

#[derive(Debug, Clone, Copy)]
pub(super) struct Prober<'a> {
    sealer: &'a Sealer,
    at: Circumstances,
    purpose: Purpose,
    pub limit: Duration,
    stop: &'a Stop,
}

impl<'a> Prober<'a> {
    pub fn of(session: &'a Session, purpose: Purpose) -> Result<Self, YardError> {
        let (limit, sealer) = (session.settings()?.probe_limit(), session.sealer()?);
        let at = Circumstances {
            seal: sealer.level(),
            system: host_system(),
            is_elevated: os::is_superuser(),
            is_agreed: session.unsealed || session.agrees_to_starts,
            is_vouched: true,
        };
        Ok(Self { sealer, at, purpose, limit, stop: &session.stop })
    }

    pub fn within(self, limit: Duration) -> Self {
        Self { limit, ..self }
    }

    /// For a tool that nothing vouches for, or one of which the user has just said that it may be started.
    pub fn for_tool(self, is_vouched: bool, is_agreed: bool) -> Self {
        let at = Circumstances { is_vouched, is_agreed: is_agreed || self.at.is_agreed, ..self.at };
        Self { at, ..self }
    }

    pub fn forms(&self, whose: Whose) -> Result<Forms, NotStarted> {
        start_policy::forms(whose, self.purpose, &self.at)
    }

    pub fn seal(&self) -> SealLevel {
        self.at.seal
    }

    pub fn is_sealed(&self) -> bool {
        self.at.seal != SealLevel::None
    }

    pub fn run(&self, start: &Start) -> Outcome {
        self.sealer.run(start, SealOptions::cut_off(), self.limit, self.stop)
    }
}
