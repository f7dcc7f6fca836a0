//! The user's yes or no.

/// Whether something that cannot be taken back may be run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Consent {
    Given,
    Refused,
    NobodyToAsk,
}
