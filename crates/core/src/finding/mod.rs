//! Findings: things worth telling, each with a stable code. This is the one list.

mod explain;
mod texts;

pub use explain::Explanation;
use serde::{Serialize, Serializer};

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Something does not work.
    Problem,
    /// Something may surprise.
    Caution,
    /// Good to know.
    Note,
}

macro_rules! codes {
    ($($(#[$doc:meta])* $name:ident = $text:literal, $severity:ident;)*) => {
        /// What was found, as a stable kebab-case code.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Code { $($(#[$doc])* $name,)* }

        impl Code {
            /// All codes.
            pub const ALL: &'static [Self] = &[$(Self::$name,)*];

            /// The stable text.
            #[must_use]
            pub fn as_str(self) -> &'static str {
                match self { $(Self::$name => $text,)* }
            }

            /// How much it matters.
            #[must_use]
            pub fn severity(self) -> Severity {
                match self { $(Self::$name => Severity::$severity,)* }
            }
        }
    };
}

codes! {
    /// A new terminal does not find the command at all.
    NotFound = "not-found", Problem;
    /// A new terminal finds another copy first.
    Shadowed = "shadowed", Problem;
    /// An alias, function or builtin of the shell answers before any file.
    HiddenByShell = "hidden-by-shell", Problem;
    /// What a shell runs before its prompt changes PATH, and with it what the command is.
    UndoneAtPrompt = "undone-at-prompt", Problem;
    /// A shell gave no answer, so nothing is proved there.
    NoTerminalAnswer = "no-terminal-answer", Problem;
    /// At a terminal, startup files start another program in place of the shell.
    TerminalTaken = "terminal-taken", Caution;
    /// The user's own shell is none that can be asked.
    ShellUnknown = "shell-unknown", Problem;
    /// No shell was found to prove anything in.
    NoShell = "no-shell", Problem;
    /// The command answers with another version than the one received.
    WrongVersion = "wrong-version", Problem;
    /// The command cannot be started, or crashes.
    DoesNotStart = "does-not-start", Problem;
    /// The command's mode does not let the user run it.
    NotExecutable = "not-executable", Problem;
    /// The command is a program for another processor or system.
    ForAnotherMachine = "for-another-machine", Problem;
    /// What the `#!` line of a script names is not there.
    InterpreterMissing = "interpreter-missing", Problem;
    /// A library that the command needs is not there.
    LibraryMissing = "library-missing", Problem;
    /// The system's policy keeps the command from starting.
    BlockedByPolicy = "blocked-by-policy", Problem;
    /// The command starts and crashes.
    Crashed = "crashed", Problem;
    /// The command asks for input, whatever it is asked.
    AsksForInput = "asks-for-input", Caution;
    /// Commands of one tool state different versions.
    CompanionsDisagree = "companions-disagree", Caution;
    /// A command or variable that a tool needs is not there, or does not answer.
    RequirementMissing = "requirement-missing", Problem;
    /// The command starts and does not end.
    NoAnswerInTime = "no-answer-in-time", Problem;
    /// The command starts, and complains.
    StartedWithError = "started-with-error", Caution;
    /// The script has no `#!` line: shells run it, other programs can't.
    NoInterpreterLine = "no-interpreter-line", Caution;
    /// The command comes before another of the same name.
    HidesOther = "hides-other", Caution;
    /// This terminal runs something else than a new one would.
    StaleTerminal = "stale-terminal", Caution;
    /// A new terminal does not have the PATH that a change should give it.
    ChangeUndone = "change-undone", Problem;
    /// A new terminal takes long to start.
    SlowStartup = "slow-startup", Note;
    /// A shell remembers a place for the command that PATH does not lead to.
    RememberedPlace = "remembered-place", Caution;
    /// With an administrator's rights another copy runs, or none.
    ElevatedDiffers = "elevated-differs", Note;
    /// Which folders are searched with an administrator's rights may not be read.
    ElevatedUnknown = "elevated-unknown", Note;
    /// The name is an app-execution alias of Windows.
    AppAlias = "app-alias", Caution;
    /// A variable that was meant to be PATH.
    StrayVariable = "stray-variable", Caution;
    /// An entry of the system's PATH refers to a variable of the user.
    ReferenceAcrossScopes = "reference-across-scopes", Caution;
    /// `Path` is longer than `cmd` can use.
    PathTooLongForCmd = "path-too-long-for-cmd", Caution;
    /// `Path` is longer than older dialogs keep when it is edited there.
    PathTooLongForDialogs = "path-too-long-for-dialogs", Note;
    /// The command runs, but says no version that could be compared.
    VersionNotStated = "version-not-stated", Note;
    /// There is nothing in it that a person could type.
    NoCommands = "no-commands", Caution;
    /// A launcher points to a place that only its maker's machine can be expected to have.
    FixedPath = "fixed-path", Caution;
    /// The only published checksum is one that can be forged.
    WeakChecksum = "weak-checksum", Note;
    /// Links of the archive became copies, because none can be made here.
    LinksCopied = "links-copied", Note;
    /// The checksum was compared with nothing.
    NotCompared = "not-compared", Note;
    /// An entry of PATH names a folder that is not there.
    FolderMissing = "folder-missing", Caution;
    /// An entry of PATH names a file.
    NotAFolder = "not-a-folder", Caution;
    /// A folder of PATH may not be looked into.
    UnreadableFolder = "unreadable-folder", Note;
    /// Two entries of PATH lead to the same folder.
    DuplicateEntry = "duplicate-entry", Note;
    /// An entry of PATH has quotes in it.
    QuotedEntry = "quoted-entry", Caution;
    /// An entry of PATH is empty.
    BlankEntry = "blank-entry", Caution;
    /// An entry of PATH does not begin at the root.
    RelativeEntry = "relative-entry", Caution;
    /// An entry of PATH still has a reference in it.
    UnexpandedReference = "unexpanded-reference", Caution;
    /// A folder of PATH holds no command.
    EntryWithoutCommands = "entry-without-commands", Note;
    /// A folder of PATH holds no command, while its `bin` does.
    BinBelow = "bin-below", Caution;
    /// A folder of PATH lies where things get cleaned up.
    CleanedPlace = "cleaned-place", Caution;
    /// Others may put programs into a folder of PATH.
    WritableByOthers = "writable-by-others", Problem;
    /// Not every new terminal has the same PATH.
    PathDiffers = "path-differs", Note;
    /// A folder of PATH does not answer in time.
    PlaceSilent = "place-silent", Caution;
    /// PATH has both a tool's root and the folder in it that holds its programs.
    RootAndBin = "root-and-bin", Note;
    /// An installer did not do its work.
    InstallerFailed = "installer-failed", Problem;
    /// What an installer left could not be taken on record.
    InstallerUnfinished = "installer-unfinished", Problem;
    /// An installer left commands in several folders.
    SeveralTools = "several-tools", Caution;
    /// An installer puts something in the place of PATH.
    PathReplaced = "path-replaced", Problem;
    /// An installer would set a variable that has another value.
    VariableReplaced = "variable-replaced", Caution;
    /// A copy that is here would come before the one that an installer brings.
    WouldBeShadowed = "would-be-shadowed", Caution;
    /// Files that an installer would make are there.
    FilesThere = "files-there", Caution;
    /// The system's record has the product already.
    InstalledAlready = "installed-already", Note;
    /// Something was changed while an installer ran, and perhaps not by it.
    ChangedMeanwhile = "changed-meanwhile", Caution;
    /// A card of the yard has no folder.
    CardWithoutFolder = "card-without-folder", Caution;
    /// A folder of the stock has no card.
    FolderWithoutCard = "folder-without-card", Caution;
    /// Of two installations of a tool some commands come from one, some from the other.
    CompanionsSplit = "companions-split", Caution;
    /// A line of a startup file that undoes what was registered.
    StartupUndoes = "startup-undoes", Problem;
    /// A home variable ends in a separator.
    HomeVariableSeparator = "home-variable-separator", Note;
    /// A home variable points to another copy than the one that runs.
    HomeVariableOther = "home-variable-other", Caution;
    /// A home variable has one value in the user's scope and another in the system's.
    HomeVariableScopes = "home-variable-scopes", Caution;
    /// The home variable of a received tool is missing or points elsewhere.
    HomeVariableDiffers = "home-variable-differs", Problem;
    /// A home variable points to a `bin` folder.
    HomeVariableInBin = "home-variable-in-bin", Caution;
    /// A home variable points to a folder that is not there.
    HomeVariableNowhere = "home-variable-nowhere", Caution;
    /// A home variable has quotes in it.
    HomeVariableQuoted = "home-variable-quoted", Caution;
}

impl Serialize for Code {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.as_str())
    }
}

/// One thing worth telling.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Finding {
    /// What it is.
    pub code: Code,
    /// How much it matters.
    pub severity: Severity,
    /// What was seen, in a sentence.
    pub seen: String,
    /// Why it matters: what comes of it if nothing is done.
    pub why: &'static str,
    /// What to do about it, where there is something to do.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub remedy: Option<String>,
}

impl Finding {
    /// A finding with nothing to do about it.
    #[must_use]
    pub fn new(code: Code, seen: impl Into<String>) -> Self {
        Self { code, severity: code.severity(), seen: seen.into(), why: explain::why(code), remedy: None }
    }

    /// Adds what to do.
    #[must_use]
    pub fn remedy(mut self, remedy: impl Into<String>) -> Self {
        self.remedy = Some(remedy.into());
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_are_kebab_case_and_unique() {
        let mut texts: Vec<_> = Code::ALL.iter().map(|c| c.as_str()).collect();
        assert!(texts.iter().all(|t| t.bytes().all(|b| b.is_ascii_lowercase() || b == b'-')));
        texts.sort_unstable();
        texts.dedup();
        assert_eq!(texts.len(), Code::ALL.len());
    }
}
