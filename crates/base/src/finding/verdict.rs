//! The verdict on a command.

use serde::Serialize;

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Verdict {
    /// It resolves, starts, and states the right version or none.
    Good,
    /// It resolves and starts, and complains of something other than the probe's own word.
    StartedWithError,
    /// Nothing bad was seen, and what was seen does not prove that it works.
    NotProven,
    WrongVersion,
    /// Another copy, or the shell itself, answers in a new terminal, or a home variable leads elsewhere there.
    Shadowed,
    DoesNotStart,
    /// A new terminal does not find it, or could not be asked.
    NotFound,
}

impl Verdict {
    pub const ALL: [Self; 7] = [
        Self::Good,
        Self::StartedWithError,
        Self::NotProven,
        Self::WrongVersion,
        Self::Shadowed,
        Self::DoesNotStart,
        Self::NotFound,
    ];

    pub fn as_str(self) -> &'static str {
        match self {
            Self::Good => "good",
            Self::StartedWithError => "started-with-error",
            Self::NotProven => "not-proven",
            Self::WrongVersion => "wrong-version",
            Self::Shadowed => "shadowed",
            Self::DoesNotStart => "does-not-start",
            Self::NotFound => "not-found",
        }
    }

    /// Whether the command works in every new terminal.
    pub fn passes(self) -> bool {
        self == Self::Good
    }

    pub(super) fn passes_ref(&self) -> bool {
        self.passes()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn verdicts_stand_in_order() {
        assert!(Verdict::ALL.is_sorted());
        let texts: std::collections::HashSet<_> = Verdict::ALL.iter().map(|v| v.as_str()).collect();
        assert_eq!(texts.len(), Verdict::ALL.len());
        assert_eq!(Verdict::ALL.map(Verdict::passes), [true, false, false, false, false, false, false]);
    }
}
