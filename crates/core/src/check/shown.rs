//! What a program showed when it was started.

use crate::finding::{Code, Finding};
use crate::start_policy::NotStarted;

#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Shown {
    pub ending: Shows,
    pub version: Option<String>,
    /// Whether that was read in its file, and not stated by it at work.
    pub is_read: bool,
    pub form: Option<Vec<String>>,
    pub asides: Vec<Finding>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Shows {
    NotStarted(NotStarted),
    /// What kept it from the machine could not be made, or broke, for this reason.
    SealBroke(String),
    /// It was not started, since it opens windows.
    Windowed,
    /// It did not get going, or crashed.
    Failed(Code, String),
    /// It stated a version, and ended well or as its user has said it does.
    Stated,
    /// It stated a version, and ended with an error; the line that is one.
    StatedWithError(Option<String>),
    Expected,
    Unexpected(String),
    /// It ended well, or refused only the probe's own word, and stated nothing.
    Silent,
    Complained(String),
    /// It ended with an error and without a message.
    Mute,
    /// It ended with an error, with a question left open.
    Asked(String),
    Waits(String),
    OpensWindow,
    /// It was cut short after so many seconds.
    StillRuns(u64),
}

impl Shown {
    pub fn of(ending: Shows) -> Self {
        Self { ending, version: None, is_read: false, form: None, asides: Vec::new() }
    }

    pub fn was_started(&self) -> bool {
        !matches!(self.ending, Shows::NotStarted(_) | Shows::Windowed | Shows::SealBroke(_))
    }

    /// Whether it was started, ended by itself, and had nothing to complain of.
    pub fn is_well(&self) -> bool {
        matches!(self.ending, Shows::Stated | Shows::Expected | Shows::Silent)
    }
}
