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
        let [means, comes_about, settle, example] = texts(code);
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
        Code::NotFound | Code::DoesNotStart | Code::NoCommands => "whoever types the command gets nothing",
        Code::Shadowed | Code::HiddenByShell | Code::RememberedPlace | Code::WrongVersion => {
            "whoever types the command gets something else than what was installed"
        }
        Code::NoTerminalAnswer | Code::NoShell | Code::NoAnswerInTime | Code::ElevatedUnknown => {
            "what could not be asked is not proved, whatever the files say"
        }
        Code::StartedWithError | Code::VersionNotStated => "that it runs is certain, which version it is is not",
        Code::NoInterpreterLine => "it works from a shell, and fails where a program starts it",
        Code::HidesOther | Code::CompanionsSplit => "versions that do not belong together can come to be used together",
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

fn texts(code: Code) -> [&'static str; 4] {
    match code {
        Code::NotFound => [
            "A new terminal does not find the command in any folder of its PATH.",
            "The tool is not registered, its entry was taken out, or a startup file sets PATH anew after ours.",
            "Register it, then check. If it is still not found, trace it: the shells that miss it are named.",
            "wyard register tidelog && wyard check tidelog",
        ],
        Code::Shadowed => [
            "Another program of the same name stands in a folder further in front of PATH, and runs instead.",
            "An older copy was put in place by hand or by an installer, or a startup file puts its folder first.",
            "Trace the name to see the copies in order, then remove the other one or take its folder out of PATH.",
            "wyard trace tidelog   # an old tidelog 3.9 in ~/old/bin comes first",
        ],
        Code::HiddenByShell => [
            "The shell answers the name by itself, before it looks for any file.",
            "An alias or function of that name is defined in a startup file, or the name is built into the shell.",
            "Remove the alias or function. What is built in can be passed over by writing the path of the program.",
            "alias tidelog='tidelog --quiet'   # in ~/.bashrc",
        ],
        Code::NoTerminalAnswer => [
            "A shell was started as a new terminal starts it, and did not answer. Nothing is proved there.",
            "Something in its startup files waits for input, ends the shell, starts another program, or takes too long.",
            "Open a new terminal of that shell and watch it start; shell_seconds in settings.toml allows more time.",
            "exec driftshell   # in ~/.bashrc: the shell is gone before it can be asked",
        ],
        Code::NoShell => [
            "None of the shells in settings.toml is installed, so no new terminal could be opened to ask.",
            "The list of shells in settings.toml leaves out those of this machine.",
            "Name the shells you use, or take the line out to have all that are installed.",
            "shells = [\"bash\", \"fish\"]   # in settings.toml",
        ],
        Code::WrongVersion => [
            "The program that runs states another version than the one that was received.",
            "The download held something else than its name says, or the program starts another copy of itself.",
            "Compare the name of the download with what it answers; receive the right file with --replace.",
            "tidelog --version answers 4.2.0, the archive was called tidelog-4.2.1",
        ],
        Code::DoesNotStart => [
            "The program was found, and the system could not start it, or it crashed.",
            "It is for another processor or system, its interpreter or a library is missing, or the file is damaged.",
            "What is missing is named. Install that, or download the package for this machine.",
            "a script begins with #!/usr/bin/env driftrun, and there is no driftrun",
        ],
        Code::NoAnswerInTime => [
            "The program starts, and neither answers nor ends in time, whatever harmless thing it is asked.",
            "It waits for input or for a device, opens a window, or is a service that keeps running.",
            "Run it by hand. If it is only slow, allow more with probe_seconds in settings.toml.",
            "probe_seconds = 20   # in settings.toml",
        ],
        Code::StartedWithError => [
            "The program starts and ends with an error. That it could complain proves that it runs.",
            "It wants arguments, a settings file or a device before it says its version.",
            "Look at what it says. If that is only about missing input, nothing is to be done.",
            "buoyctl: no buoy in reach",
        ],
        Code::NoInterpreterLine => [
            "The script does not say which program is to run it. Shells run it themselves, other programs can't.",
            "Its first line is missing or does not begin with #!.",
            "Ask its maker for a #! line, or write one if the script is yours.",
            "#!/bin/sh   # as the first line",
        ],
        Code::HidesOther => [
            "Two different programs have the same name; the one further in front runs.",
            "Two versions of a tool are in PATH, or a suite has a command that the system has too.",
            "If the right one runs, nothing is to be done. Otherwise change the order of the folders.",
            "coastkit brings a command called sort, which comes before the system's",
        ],
        Code::StaleTerminal => [
            "This terminal runs something else than one opened now would.",
            "It was opened before PATH was changed, or PATH was changed by hand in it alone.",
            "Close it and open a new one.",
            "export PATH=~/old/bin:$PATH   # lasts for one terminal only",
        ],
        Code::ChangeUndone => [
            "PATH was changed, and a new terminal still has another one than the change should give it.",
            "A line of a startup file that is read after Wagon Yard's block sets PATH or puts another folder first.",
            "See with 'wyard path show' which line that is. Move Wagon Yard's block behind it, or change it.",
            "PATH=\"$HOME/old:$PATH\"   # below the block in ~/.bashrc",
        ],
        Code::SlowStartup => [
            "A new terminal of this shell takes more than a second before it can be used.",
            "Something in its startup files starts programs or waits for a network.",
            "Look at what they start. shell_seconds in settings.toml is how long wyard waits for an answer.",
            "eval \"$(harbour-login)\"   # in ~/.bashrc: two seconds each time",
        ],
        Code::RememberedPlace => [
            "The shell remembers a place for the name, and does not look in PATH.",
            "A startup file tells it to, with 'hash' in bash and zsh, often to save time.",
            "Take that line out of the startup file.",
            "hash -p /opt/old/bin/tidelog tidelog   # in ~/.bashrc",
        ],
        Code::ElevatedDiffers => [
            "A command run with an administrator's rights searches a list of folders of its own, and finds another copy or none.",
            "The system's rules of elevation set that list, so that nobody's own folders count there.",
            "Write the file with its folder, or register the tool in the system's scope.",
            "sudo tidelog   # not found, while tidelog works",
        ],
        Code::ElevatedUnknown => [
            "Which folders are searched with an administrator's rights is not known: the rules may be read by an administrator only.",
            "The file /etc/sudoers keeps them, and most systems let nobody else read it.",
            "Ask as an administrator, where it matters.",
            "sudo wyard trace tidelog --as elevated",
        ],
        Code::AppAlias => [
            "The name is an app-execution alias of Windows: a file without content that starts an installed app, or the store.",
            "Windows comes with aliases for well-known names, or an app has brought one.",
            "Switch it off in the system's settings, under app execution aliases.",
            "tidelog opens the store in place of running",
        ],
        Code::StrayVariable => [
            "There is a variable whose name looks as if somebody had meant to edit PATH.",
            "In the dialog for variables a new one was made, where Path was to be edited.",
            "Move its folders to Path, then delete it.",
            "PATHS = C:\\tide\\bin",
        ],
        Code::ReferenceAcrossScopes => [
            "An entry of the system's PATH refers to a variable that only the user has.",
            "The system's variables are filled in before the user's are there, so the reference stays as it is.",
            "Put the variable into the system's scope as well, or move the entry to the user's PATH.",
            "%TIDELOG_HOME%\\bin in the system's Path, TIDELOG_HOME among the user's variables",
        ],
        Code::PathTooLongForCmd => [
            "PATH is longer than cmd can work with: commands there may not be found.",
            "Every installer adds an entry, and few take one out.",
            "Take out entries whose folders are gone, and those that are there twice.",
            "wyard survey   # names them",
        ],
        Code::PathTooLongForDialogs => [
            "PATH is longer than older dialogs keep when it is edited in them.",
            "Every installer adds an entry, and few take one out.",
            "Don't edit it in such a dialog; take out entries that are dead or there twice.",
            "wyard survey   # names them",
        ],
        Code::VersionNotStated => [
            "The program runs, and says no version that could be compared.",
            "It has no option for that, or writes it in a form nobody else uses.",
            "Nothing is to be done: the file that runs is the one that was received.",
            "shoal: ready",
        ],
        Code::NoCommands => [
            "The file holds nothing that a person could type.",
            "It is a package of source code, libraries or documents.",
            "Look for a build for this system where you found it; or name a folder with --command-folder.",
            "driftc-1.0-src.tar.gz",
        ],
        Code::FixedPath => [
            "A launcher script points to a place that only its maker's machine can be expected to have.",
            "The tool was packed after it had been set up somewhere.",
            "Once it is unpacked, correct the path in that script.",
            "TIDE_LIB=/opt/tide/lib",
        ],
        Code::WeakChecksum => [
            "The only published checksum is of a kind that can be forged.",
            "MD5 and SHA-1 still tell a damaged download, but not one that was made to have the same checksum.",
            "Look whether a SHA-256 is published as well.",
            "wyard receive tidelog-4.2.1.zip --sha256 DIGITS",
        ],
        Code::LinksCopied => [
            "Links in the archive became copies of what they lead to.",
            "On Windows links can be made only by administrators, or in developer mode.",
            "Nothing is to be done, unless the copies take too much room.",
            "bin/tidelogc leads to bin/tidelog",
        ],
        Code::NotCompared => [
            "The checksum of the file was computed, but there was nothing to compare it with.",
            "No checksum was given, and none of the usual files lies beside the download.",
            "Give the published one, or save its list beside the file.",
            "wyard inspect tidelog-4.2.1.zip --checksums SHA256SUMS",
        ],
        Code::FolderMissing => [
            "An entry of PATH names a folder that is not there.",
            "The tool was removed or moved and its entry stayed, or a drive is not connected.",
            "Take the entry out where PATH is set. It does no harm but to slow every lookup down, until somebody makes that folder.",
            "/opt/tidelog-3.8/bin",
        ],
        Code::NotAFolder => [
            "An entry of PATH names a file. Only folders are searched.",
            "The path of the program was pasted in place of its folder.",
            "Put the folder that holds the file in PATH.",
            "/opt/shoal/shoal in place of /opt/shoal",
        ],
        Code::UnreadableFolder => [
            "You may not look into a folder of your PATH.",
            "It belongs to somebody else, as the superuser's folders do.",
            "Take the entry out, or ask for the right to read it.",
            "/root/bin",
        ],
        Code::DuplicateEntry => [
            "Two entries of PATH lead to the same folder; the one further back has no effect.",
            "A startup file is read twice and adds its folder each time, or a link leads to the folder.",
            "Take the later one out where PATH is set.",
            "PATH=~/bin:$PATH   # both in ~/.profile and in ~/.bashrc",
        ],
        Code::QuotedEntry => [
            "An entry of PATH has quotes in it.",
            "The folder was pasted with the quotes that a shell needs around spaces. In PATH most programs take them for a part of the name.",
            "Take the quotes out; spaces need none there.",
            "\"C:\\Tide Office\\bin\"",
        ],
        Code::BlankEntry => [
            "An empty entry of PATH means the folder you happen to be in: whoever can write there decides what you run.",
            "PATH begins or ends with a separator, or has two side by side, often because a variable in it was empty.",
            "Take the separator out where PATH is set.",
            "PATH=$TIDE_BIN:$PATH   # and TIDE_BIN is not set",
        ],
        Code::RelativeEntry => [
            "An entry of PATH does not begin at the root: what it means depends on the folder you are in.",
            "A folder was written as it is seen from one place.",
            "Write it out from the root.",
            "PATH=bin:$PATH",
        ],
        Code::UnexpandedReference => [
            "An entry of PATH still has a reference in it that should have been filled in.",
            "It was set in single quotes, in a file that fills nothing in, or refers to a variable that is not there.",
            "Write the folder out, or use double quotes where the shell is to fill it in.",
            "PATH='$TIDELOG_HOME/bin':$PATH",
        ],
        Code::EntryWithoutCommands => [
            "A folder of PATH holds nothing that can be typed.",
            "A tool was removed and left its folder, or a folder above or beside the right one was added.",
            "Take the entry out, unless something is yet to come there.",
            "/opt/tidelog/lib",
        ],
        Code::BinBelow => [
            "A folder of PATH holds no command, while the bin folder in it does.",
            "The root of a tool was added to PATH where its bin was meant.",
            "Put the bin folder in its place.",
            "/opt/tidelog in place of /opt/tidelog/bin",
        ],
        Code::CleanedPlace => [
            "A folder of PATH lies where people or systems clean up.",
            "A tool was unpacked in Downloads, on the desktop or in a folder for temporary files, and left there.",
            "Move it to a lasting place; what is received lies in the yard.",
            "~/Downloads/tidelog-4.2.1/bin",
        ],
        Code::WritableByOthers => [
            "Others on this machine may put programs into a folder of your PATH, and so decide what you run.",
            "The folder was made with too many rights, or lies in one that everybody may write to.",
            "Take the right to write from group and others, or take the entry out.",
            "chmod go-w /opt/tide/bin",
        ],
        Code::PathDiffers => [
            "Shells, or ways of starting them, do not have the same PATH.",
            "Each reads other startup files, and PATH is set in only some of them.",
            "If a command is missing in one, set its folder in that shell's files too; 'wyard register' does all of them.",
            "a folder added in ~/.bashrc is missing in login shells",
        ],
        Code::PlaceSilent => [
            "A folder of PATH did not answer within two seconds: every look for a command that is not found before it waits.",
            "It lies on a network or a drive that is not there, or not now.",
            "Take it out of PATH, put it at the end, or connect what it lies on.",
            "PATH=/net/harbour/bin:...   # the harbour's server is switched off",
        ],
        Code::RootAndBin => [
            "PATH has a tool's root folder, which holds no command, beside the folder in it that does.",
            "The root was put into PATH first, and found to be the wrong folder.",
            "Take the root out: 'wyard path drop DIR', or 'wyard path tidy'.",
            "PATH=/opt/tidelog:/opt/tidelog/bin:...",
        ],
        Code::CompanionsSplit => [
            "Two folders hold commands of one tool, and of some the one wins, of others the other: versions may not fit together.",
            "An older installation has fewer commands than the one behind it, or one of them was taken away by hand.",
            "Take the older folder out of PATH, or move the other one before it: 'wyard path move DIR --before DIR'.",
            "tidelog is /old/bin/tidelog, and tidelogc is /new/bin/tidelogc",
        ],
        Code::StartupUndoes => [
            "A line of a startup file that is read after Wagon Yard's block, or that ends the file before it, undoes what is registered.",
            "PATH is set anew there, or the file returns early, or the name is made an alias.",
            "Move Wagon Yard's block to the end of the file, or change that line.",
            "PATH=/usr/bin:/bin   # below the block in ~/.bashrc",
        ],
        Code::HomeVariableSeparator => [
            "A home variable ends in a separator: most programs do not mind, some build paths with two of them.",
            "It was completed by a key that adds the separator.",
            "Take the separator off where the variable is set.",
            "TIDELOG_HOME=/opt/tidelog/",
        ],
        Code::HomeVariableOther => [
            "A home variable points to one copy of a tool, and the command of the tool's name runs another.",
            "One of the two was changed without the other, when a newer copy was put beside an older one.",
            "Let both mean the same copy: change the variable, or the order of PATH.",
            "TIDELOG_HOME=/opt/tidelog-3.9, while tidelog is /opt/tidelog-4.2.1/bin/tidelog",
        ],
        Code::HomeVariableScopes => [
            "A home variable has one value in the user's scope and another in the system's: the user's counts.",
            "It was set once for everybody, and later by hand for one user, or the other way round.",
            "Remove the one that is wrong.",
            "TIDELOG_HOME is C:\\tidelog-4.2.1 for you, and C:\\tidelog-3.9 for the system",
        ],
        Code::HomeVariableDiffers => [
            "The home variable of a received tool is missing, or points elsewhere.",
            "Something sets it after us, such as an older line in a startup file.",
            "Remove that line; register the tool again if the variable is missing.",
            "export TIDELOG_HOME=/opt/tidelog-3.9   # in ~/.profile",
        ],
        Code::HomeVariableInBin => [
            "A home variable points to a bin folder. Tools look for bin, lib and conf below it.",
            "The folder for PATH and the one for the home variable were mixed up.",
            "Let it point to the folder above.",
            "TIDELOG_HOME=/opt/tidelog/bin",
        ],
        Code::HomeVariableNowhere => [
            "A home variable points to a folder that is not there.",
            "The tool was moved or removed.",
            "Correct the variable where it is set, or take it out.",
            "DRIFT_HOME=/opt/drift-0.9",
        ],
        Code::HomeVariableQuoted => [
            "A home variable has quotes in its value.",
            "They were pasted along; in a value they are a part of the name.",
            "Take them out where the variable is set.",
            "TIDELOG_HOME=\"\\\"/opt/tide log\\\"\"",
        ],
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
