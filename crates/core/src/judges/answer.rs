//! What a caller has answered.

use std::time::Duration;

use crate::process::{Ending, Outcome};

/// How long a process may take that answers for many machines.
pub const LIMIT: Duration = Duration::from_secs(60);

pub const ONE: Duration = Duration::from_secs(20);

pub struct Answer {
    pub ran: String,
    /// What it lists, where it can list.
    pub listed: Option<Vec<String>>,
}

/// How a run ended, for people.
pub fn ending(outcome: &Outcome) -> String {
    match &outcome.ending {
        Ending::Exited(status) => status.to_string(),
        Ending::TimedOut => "time limit".to_owned(),
        Ending::NotStarted(e) => e.to_string(),
        Ending::NoSeal(why) => format!("no seal: {why}"),
        Ending::Interrupted => "interrupted".to_owned(),
    }
}
