//! What each finding means, how it comes about, and how to settle it.

use serde::Serialize;

use super::{Code, Severity};

/// A finding explained.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Explanation {
    /// The format number.
    pub format: u32,
    /// `explain`.
    pub report: &'static str,
    /// The finding.
    pub code: Code,
    /// How much it matters.
    pub severity: Severity,
    /// What it means.
    pub means: &'static str,
    /// Why it matters.
    pub why: &'static str,
    /// How it comes about.
    pub comes_about: &'static str,
    /// How to settle it.
    pub settle: &'static str,
    /// An example, in the made-up tools of the Brackwater Tide Office.
    pub example: &'static str,
}

impl Explanation {
    /// Of a finding.
    #[must_use]
    pub fn of(code: Code) -> Self {
        let [means, comes_about, settle, example] = super::texts::texts(code);
        Self {
            format: 1,
            report: "explain",
            code,
            severity: code.severity(),
            means,
            why: why(code),
            comes_about,
            settle,
            example,
        }
    }
}

/// Why a finding matters: what comes of it if nothing is done.
pub(super) fn why(code: Code) -> &'static str {
    match code {
        Code::NotFound
        | Code::DoesNotStart
        | Code::NoCommands
        | Code::NotExecutable
        | Code::ForAnotherMachine
        | Code::InterpreterMissing
        | Code::LibraryMissing
        | Code::BlockedByPolicy
        | Code::Crashed => "whoever types the command gets nothing",
        Code::Shadowed | Code::UndoneAtPrompt | Code::HiddenByShell | Code::RememberedPlace | Code::WrongVersion => {
            "whoever types the command gets something else than what was installed"
        }
        Code::NoTerminalAnswer
        | Code::TerminalTaken
        | Code::NoShell
        | Code::ShellUnknown
        | Code::NoAnswerInTime
        | Code::ElevatedUnknown => "what could not be asked is not proved, whatever the files say",
        Code::StartedWithError | Code::VersionNotStated | Code::AsksForInput => {
            "that it runs is certain, which version it is is not"
        }
        Code::NoInterpreterLine => "it works from a shell, and fails where a program starts it",
        Code::CardWithoutFolder | Code::FolderWithoutCard => "the yard's records and the disk do not tell the same",
        Code::InstallerFailed => "what it was to bring is not there, or only a part of it",
        Code::InstallerUnfinished => "the commands are there, and nothing proves that a new terminal finds them",
        Code::SeveralTools => "only one of them can be the tool, and nobody said which",
        Code::PathReplaced => "every command whose folder stood in it is gone from new terminals",
        Code::VariableReplaced => "programs that go by the variable use another copy from then on",
        Code::WouldBeShadowed => "what it brings would be there, and something else would run",
        Code::FilesThere => "what was changed in them by hand is lost",
        Code::InstalledAlready => "installers often refuse to install over another version, or leave a part of it",
        Code::ChangedMeanwhile => "what the installer did not do, its uninstaller will not take back",
        Code::RequirementMissing => "the tool starts, and fails at the work that needs it",
        Code::HidesOther | Code::CompanionsSplit | Code::CompanionsDisagree => {
            "versions that do not belong together can come to be used together"
        }
        Code::StaleTerminal => "what works here may fail in the next terminal, or the other way round",
        Code::ChangeUndone | Code::StartupUndoes => "the change is there, and has no effect",
        Code::ElevatedDiffers => "a script that asks for more rights can run another program than it did without",
        Code::AppAlias => "the store opens in place of the program",
        Code::StrayVariable => "somebody meant to change PATH, and has not",
        Code::ReferenceAcrossScopes | Code::UnexpandedReference | Code::RelativeEntry | Code::QuotedEntry => {
            "the entry leads nowhere for some programs, or to different places"
        }
        Code::PathTooLongForCmd | Code::PathTooLongForDialogs => "entries at the end are lost",
        Code::FixedPath => "the launcher starts nothing, or another machine's leftovers",
        Code::WeakChecksum | Code::NotCompared => "a file that somebody has changed would not be noticed",
        Code::LinksCopied => "the copies do not follow when the original is changed",
        Code::FolderMissing | Code::NotAFolder | Code::UnreadableFolder => {
            "every search passes it in vain, and whoever makes the folder decides what is in it"
        }
        Code::DuplicateEntry | Code::RootAndBin | Code::EntryWithoutCommands => "PATH is longer than it need be",
        Code::BinBelow => "the commands that somebody wanted are not found",
        Code::BlankEntry => "a program in whatever folder you are in can run in place of the one you mean",
        Code::CleanedPlace => "the commands are gone after the next cleaning",
        Code::WritableByOthers => "others decide what you run, with your rights",
        Code::PathDiffers => "a command can work in one terminal and not in another",
        Code::SlowStartup => "every new terminal waits, and so does whatever starts a shell",
        Code::PlaceSilent => "every command that is not found takes as long",
        Code::HomeVariableDiffers | Code::HomeVariableOther | Code::HomeVariableScopes => {
            "programs that go by the variable use another copy than you do"
        }
        Code::HomeVariableInBin | Code::HomeVariableNowhere | Code::HomeVariableQuoted => {
            "programs that go by the variable find nothing"
        }
        Code::HomeVariableSeparator => "some programs build wrong paths from it",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_finding_is_explained_in_its_own_words() {
        let mut all: Vec<&str> = Code::ALL.iter().map(|code| Explanation::of(*code).means).collect();
        assert!(all.iter().all(|text| text.ends_with('.') && text.len() > 20));
        all.sort_unstable();
        all.dedup();
        assert_eq!(all.len(), Code::ALL.len());
    }
}
