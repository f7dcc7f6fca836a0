//! All findings, with all that is said of each: the one list.
//!
//! A finding is added here and nowhere else: its name, its stable text, how much it matters, what it means, why it matters,
//! how it comes about, how to settle it, and an example in the made-up tools of the Brackwater Tide Office.

use serde::{Deserialize, Serialize};

use super::verdict::Verdict;

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    Problem,
    Caution,
    Note,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Texts {
    pub means: &'static str,
    /// Why it matters: what comes of it if nothing is done.
    pub why: &'static str,
    pub comes_about: &'static str,
    pub settle: &'static str,
    pub example: &'static str,
}

macro_rules! findings {
    ($($name:ident = $text:literal, $severity:ident {
        means: $means:literal,
        why: $why:literal,
        comes_about: $comes_about:literal,
        settle: $settle:literal,
        example: $example:literal,
    })*) => {
        /// What was found, as a stable kebab-case code.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Code { $(#[doc = $means] $name,)* }

        impl Code {
            pub const ALL: &'static [Self] = &[$(Self::$name,)*];

            pub fn as_str(self) -> &'static str {
                match self { $(Self::$name => $text,)* }
            }

            pub fn severity(self) -> Severity {
                match self { $(Self::$name => Severity::$severity,)* }
            }

            /// What it usually makes of a command: no problem is good, and only problems are not.
            pub fn verdict(self) -> Verdict {
                match self {
                    _ if self.severity() != Severity::Problem => Verdict::Good,
                    Self::StartedWithError | Self::AsksForInput => Verdict::StartedWithError,
                    Self::WrongVersion => Verdict::WrongVersion,
                    Self::Shadowed | Self::HiddenByShell | Self::UndoneAtPrompt | Self::TerminalsDiffer | Self::HomeVariableDiffers => {
                        Verdict::Shadowed
                    }
                    Self::DoesNotStart
                    | Self::NotExecutable
                    | Self::ForAnotherMachine
                    | Self::InterpreterMissing
                    | Self::LibraryMissing
                    | Self::BlockedByPolicy
                    | Self::Crashed => Verdict::DoesNotStart,
                    Self::NotFound
                    | Self::FileMissing
                    | Self::NoTerminalAnswer
                    | Self::ShellUnknown
                    | Self::NoShell
                    | Self::RequirementMissing
                    | Self::CardUnreadable => Verdict::NotFound,
                    _ => Verdict::NotProven,
                }
            }

            pub fn texts(self) -> Texts {
                match self {
                    $(Self::$name => Texts {
                        means: $means,
                        why: $why,
                        comes_about: $comes_about,
                        settle: $settle,
                        example: $example,
                    },)*
                }
            }
        }
    };
}

findings! {
    NotFound = "not-found", Problem {
        means: "A new terminal does not find the command in PATH.",
        why: "the command fails",
        comes_about: "The tool is not registered, its PATH entry was removed, or a startup file resets PATH later.",
        settle: "Run 'wyard register TOOL', then 'wyard check TOOL'. If it is still not found, 'wyard trace COMMAND' names the shells that miss it.",
        example: "wyard register tidelog && wyard check tidelog",
    }
    Shadowed = "shadowed", Problem {
        means: "Another program with the same name comes earlier in PATH and runs instead.",
        why: "the command runs a different program than the one you installed",
        comes_about: "An older copy was installed by hand or by an installer, or a startup file puts its folder first.",
        settle: "Run 'wyard trace COMMAND' to list the copies in order. Remove the other copy, or remove its folder from PATH.",
        example: "wyard trace tidelog   # tidelog 3.9 in ~/old/bin comes first",
    }
    FileMissing = "file-missing", Problem {
        means: "The file that the command should run is not there.",
        why: "the command fails",
        comes_about: "It was deleted or moved by hand, or a virus scanner removed it.",
        settle: "Receive the tool again with --replace, or bring the file back.",
        example: "rm ~/.local/share/wagon-yard/stock/driftc/0.9/bin/driftc",
    }
    HiddenByShell = "hidden-by-shell", Problem {
        means: "The shell resolves the name itself and never looks for a file.",
        why: "the command runs a different program than the one you installed",
        comes_about: "A startup file defines an alias or function with that name, or the name is a shell builtin.",
        settle: "Remove the alias or function. To bypass a builtin, type the program's full path.",
        example: "alias tidelog='tidelog --quiet'   # in ~/.bashrc",
    }
    UndoneAtPrompt = "undone-at-prompt", Problem {
        means: "PATH is correct until the shell shows its prompt, and different from then on.",
        why: "the command runs a different program than the one you installed",
        comes_about: "A prompt hook changes PATH: PROMPT_COMMAND in bash, precmd or preexec in zsh, fish_prompt in fish, precmd in tcsh.",
        settle: "Find the hook in the startup files. Change it so that it adds folders at the end of PATH, or remove it.",
        example: "PROMPT_COMMAND='PATH=$HOME/old/bin:$PATH'   # in ~/.bashrc",
    }
    TerminalsDiffer = "terminals-differ", Problem {
        means: "Two terminals of the same kind run different things: what a startup file does depends on something that changes.",
        why: "the command runs a different program than the one you installed",
        comes_about: "A startup file leaves a file behind and looks for it the next time, or changes PATH some time after the prompt.",
        settle: "Find the line in the startup files. Remove it, or make it independent of what it remembers.",
        example: "[ -f ~/.seen ] && PATH=~/old/bin:$PATH; touch ~/.seen   # in ~/.bashrc",
    }
    NoTerminalAnswer = "no-terminal-answer", Problem {
        means: "The shell was started as a new terminal would start it, and did not answer.",
        why: "nothing is verified for this shell",
        comes_about: "A startup file waits for input, ends the shell, starts another program, or takes too long.",
        settle: "Open a new terminal with that shell and watch it start. To allow more time, set shell_seconds in settings.toml.",
        example: "exec driftshell   # in ~/.bashrc: replaces the shell before it can answer",
    }
    TerminalTaken = "terminal-taken", Problem {
        means: "The shell answers without a terminal; on a terminal, something else runs in its place.",
        why: "nothing is verified for this shell on a terminal",
        comes_about: "A startup file tests for a terminal, then starts another shell or program.",
        settle: "If that is another shell, its answer is what counts; it is checked too if it is installed.",
        example: "[ -t 1 ] && exec zsh   # in ~/.bashrc",
    }
    DataBehind = "data-behind", Caution {
        means: "Extra data follows the end of the compressed file.",
        why: "the archive itself is complete; the extra data is ignored",
        comes_about: "The file was padded, signed, or concatenated with another file.",
        settle: "Compare the file with a published checksum, or ask its author.",
        example: "cat tidelog-4.2.1.tar.gz notes.txt > tidelog.tar.gz",
    }

    TarEndMissing = "tar-end-missing", Caution {
        means: "The tar archive has no end-of-archive marker.",
        why: "without a checksum, a truncated archive would look the same; here a checksum proves that it is complete",
        comes_about: "Some programs do not write the two zero blocks at the end.",
        settle: "Nothing to do.",
        example: "tidelog-4.2.1.tar.gz, written by a library",
    }

    VersionOfItsOwn = "version-of-its-own", Note {
        means: "A command has its own version, different from the tool's.",
        why: "the tool's main command prints the right version, so nothing is wrong",
        comes_about: "Tools include other tools: an interpreter includes its package installer.",
        settle: "Nothing to do.",
        example: "tidelog 4.2.1 includes tidepack 99.1",
    }

    NotProven = "not-proven", Problem {
        means: "No problem was found, but nothing proves that the command works in a new terminal.",
        why: "an unproven command may fail in the next terminal",
        comes_about: "Shells and programs run sealed, so that nothing they do is kept. This system allows no seal, or only one without write access, and some shells answer differently then. Or a program fails without a message.",
        settle: "Use --unsealed to run them without a seal. Startup files and programs then have their usual side effects.",
        example: "wyard check tidelog --unsealed",
    }

    LeftRunning = "left-running", Note {
        means: "A program started a background process when it was asked for its version.",
        why: "the process was ended, and nothing it did was kept",
        comes_about: "The program starts a service on every call.",
        settle: "Nothing to do. To ask in another way, use --probe ARGUMENTS.",
        example: "tidelog --version    # starts tidelogd",
    }

    ShellUnknown = "shell-unknown", Problem {
        means: "Your login shell is not one that Wagon Yard supports.",
        why: "nothing is verified for this shell",
        comes_about: "SHELL names a shell other than sh, bash, zsh, fish, ksh and tcsh.",
        settle: "Add the command folder to that shell's PATH yourself, or list the shells you use in settings.toml.",
        example: "shells = [\"bash\"]   # in settings.toml, if your terminals run bash whatever SHELL says",
    }
    ShellNotUsed = "shell-not-used", Note {
        means: "This shell is installed, but you do not use it: it is not your login shell and has no startup file in your home.",
        why: "nothing is registered for it, so its terminals do not find the tools",
        comes_about: "Systems include several shells; most people use one or two.",
        settle: "Nothing to do. To include it, use --shells; from then on it counts as yours.",
        example: "wyard register tidelog --shells fish",
    }

    NoShell = "no-shell", Problem {
        means: "None of the shells in settings.toml is installed, so no terminal could be checked.",
        why: "nothing is verified",
        comes_about: "The list of shells in settings.toml names none that this machine has.",
        settle: "List the shells you use, or remove the line to include all that are installed.",
        example: "shells = [\"bash\", \"fish\"]   # in settings.toml",
    }
    WrongVersion = "wrong-version", Problem {
        means: "The program states a different version than the one that was received.",
        why: "the command runs a different program than the one you installed",
        comes_about: "The download contained another version than its name says, or the program starts another copy of itself.",
        settle: "Compare the version in the download's name with the answer. Receive the right file with --replace.",
        example: "tidelog --version prints 4.2.0; the archive was tidelog-4.2.1",
    }
    DoesNotStart = "does-not-start", Problem {
        means: "The program was found, but the system could not start it.",
        why: "the command fails",
        comes_about: "It is for another processor or system, its interpreter or a library is missing, or the file is damaged.",
        settle: "Install what is missing, or download the build for this machine.",
        example: "#!/usr/bin/env driftrun   # and driftrun is not installed",
    }
    NotExecutable = "not-executable", Problem {
        means: "The file exists, but its mode does not allow you to run it.",
        why: "the command fails",
        comes_about: "It was copied or unpacked without its mode, or it belongs to another user.",
        settle: "Run chmod +x on the file, or receive the tool again.",
        example: "chmod +x ~/tools/tidelog/bin/tidelog",
    }
    ForAnotherMachine = "for-another-machine", Problem {
        means: "The program is for another processor or system; it was not started.",
        why: "the command fails",
        comes_about: "The wrong package was downloaded, or the tool was received with --foreign.",
        settle: "Download the package for this machine.",
        example: "tidelog-4.2.1-linux-arm64.tar.gz on an x64 machine",
    }
    InterpreterMissing = "interpreter-missing", Problem {
        means: "The file is a script, and the interpreter in its first line does not exist.",
        why: "the command fails",
        comes_about: "The interpreter is not installed, is in another folder, or the line ends with a Windows line ending.",
        settle: "Install the interpreter that the #! line names, or correct the line.",
        example: "#!/usr/bin/env driftrun   # and driftrun is not installed",
    }
    LibraryMissing = "library-missing", Problem {
        means: "The program needs a library that is missing or has the wrong version.",
        why: "the command fails",
        comes_about: "The package contains only programs, its libraries were moved, or the system lacks one.",
        settle: "Install the library, or download the full package.",
        example: "tidelog: error while loading shared libraries: libshore.so.2",
    }
    BlockedByPolicy = "blocked-by-policy", Problem {
        means: "The system refuses to start the program, although its mode allows it.",
        why: "the command fails",
        comes_about: "The disk is mounted noexec, or a security module, application control or a virus scanner blocks it.",
        settle: "Ask the administrator, or put the yard on another disk with WYARD_YARD.",
        example: "WYARD_YARD=/home/keeper/yard   # /data is mounted noexec",
    }
    Crashed = "crashed", Problem {
        means: "The program starts, then crashes.",
        why: "the command fails",
        comes_about: "It is damaged, or built for a newer processor or system.",
        settle: "Run it by hand to see more, compare its checksum, or download a build for this machine.",
        example: "tidelog ends with signal 11",
    }
    AsksForInput = "asks-for-input", Problem {
        means: "The program asks a question instead of printing its version; its input is closed here.",
        why: "it runs; its version is unknown",
        comes_about: "It needs to be set up first, or has none of the usual version options.",
        settle: "Run it by hand once, or set the arguments that print its version.",
        example: "wyard check tidelog --probe \"about\"",
    }
    CompanionsDisagree = "companions-disagree", Caution {
        means: "Commands that were received together state different versions.",
        why: "parts of different versions may be used together",
        comes_about: "One of them is a wrapper that starts another copy, or a part was replaced by hand.",
        settle: "Receive the tool again with --replace. If the parts have their own versions, use --expect.",
        example: "tidelog prints 4.2.1, tidelogc prints 4.1.0",
    }
    RequirementMissing = "requirement-missing", Problem {
        means: "The tool needs another command or a variable that a new terminal does not have.",
        why: "the tool starts, then fails when it needs it",
        comes_about: "It was never installed, is not registered, or is set in one terminal only.",
        settle: "Receive or register the command, or set and export the variable in a startup file.",
        example: "tidelog needs driftc",
    }
    NoAnswerInTime = "no-answer-in-time", Problem {
        means: "The program starts, but neither answers nor exits in time.",
        why: "the program is not verified",
        comes_about: "It waits for input or a device, opens a window, or runs as a service.",
        settle: "Run it by hand. If it is only slow, set probe_seconds in settings.toml.",
        example: "probe_seconds = 30   # in settings.toml",
    }
    StartedWithError = "started-with-error", Problem {
        means: "The program starts, and ends with an error that has nothing to do with the arguments it was given.",
        why: "the command does not work in a new terminal as it is",
        comes_about: "It requires a variable, a settings file, a licence or a device.",
        settle: "Provide what its message names. If the program always ends like that, say so once: --status NUMBER.",
        example: "wyard check windrow --requires-variable DRIFT_HOME",
    }
    NoInterpreterLine = "no-interpreter-line", Caution {
        means: "The script has no #! line. Shells can run it, other programs cannot.",
        why: "it works from a shell, and fails when a program starts it",
        comes_about: "The first line is missing or does not begin with #!.",
        settle: "Ask its author for a #! line, or add one if the script is yours.",
        example: "#!/bin/sh   # as the first line",
    }
    HidesOther = "hides-other", Caution {
        means: "Two different programs have the same name; the one earlier in PATH runs.",
        why: "parts of different versions may be used together",
        comes_about: "PATH contains two versions of a tool, or a tool has a command that the system has too.",
        settle: "If the right one runs, there is nothing to do. Otherwise change the order of the folders.",
        example: "coastkit has a command called sort, which comes before the system's",
    }
    StaleTerminal = "stale-terminal", Caution {
        means: "This terminal runs a different program than a new one would.",
        why: "what works here may fail in a new terminal, and the other way round",
        comes_about: "It was opened before PATH changed, or PATH was changed in this terminal only.",
        settle: "Close it and open a new one, or run the line that 'wyard catch-up SHELL' prints.",
        example: "export PATH=~/old/bin:$PATH   # lasts for one terminal only",
    }
    ChangeUndone = "change-undone", Problem {
        means: "PATH was changed, but a new terminal does not get the change.",
        why: "the change has no effect",
        comes_about: "A line that runs after Wagon Yard's block sets PATH or puts another folder first.",
        settle: "Run 'wyard path show' to find the line. Move Wagon Yard's block after it, or change the line.",
        example: "PATH=\"$HOME/old:$PATH\"   # below the block in ~/.bashrc",
    }
    SlowStartup = "slow-startup", Note {
        means: "A new terminal of this shell takes more than a second to start.",
        why: "every new terminal waits, and so does every program that starts a shell",
        comes_about: "A startup file starts programs or waits for a network.",
        settle: "Look at what the startup files start. To allow more time, set shell_seconds in settings.toml.",
        example: "eval \"$(harbour-login)\"   # in ~/.bashrc: two seconds each time",
    }
    RememberedPlace = "remembered-place", Caution {
        means: "The shell has a fixed path for the name and does not search PATH.",
        why: "the command runs a different program than the one you installed",
        comes_about: "A startup file sets it with 'hash' in bash or zsh.",
        settle: "Remove that line from the startup file.",
        example: "hash -p /opt/old/bin/tidelog tidelog   # in ~/.bashrc",
    }
    ElevatedDiffers = "elevated-differs", Note {
        means: "With administrator rights the command is searched in other folders: another copy is found, or none.",
        why: "a script that asks for administrator rights may run another program",
        comes_about: "The system's rules for elevation set their own list of folders.",
        settle: "Use the program's full path, or register the tool with --scope system.",
        example: "sudo tidelog   # not found, although tidelog works",
    }
    ElevatedUnknown = "elevated-unknown", Note {
        means: "The folders that are searched with administrator rights are unknown: only an administrator may read the rules.",
        why: "nothing is verified for administrators",
        comes_about: "The rules are in /etc/sudoers, which most systems protect.",
        settle: "If it matters, run the command as an administrator.",
        example: "sudo wyard trace tidelog --as elevated",
    }
    AppAlias = "app-alias", Caution {
        means: "The name is an app execution alias of Windows: an empty file that starts an app or the store.",
        why: "the store opens instead of the program",
        comes_about: "Windows includes aliases for well-known names, and apps add more.",
        settle: "Turn it off in the system settings, under 'App execution aliases'.",
        example: "tidelog opens the store",
    }
    DriveAway = "drive-away", Note {
        means: "A PATH entry is on a drive or share that is not connected.",
        why: "its commands are unknown",
        comes_about: "The network drive is disconnected, or this terminal is elevated and does not see the drives of your session.",
        settle: "Connect the drive and run the command again. Remove the entry only if you no longer need it.",
        example: "Z:\\tide\\bin   # Z: is not connected",
    }
    DownloadMark = "download-mark", Note {
        means: "The system marked the file as downloaded from another machine.",
        why: "Windows may hold back marked programs (SmartScreen) and refuse marked, unsigned scripts (RemoteSigned); macOS asks before it opens them",
        comes_about: "The browser or mail program that saved the file marks it. Unpacked files get the mark too.",
        settle: "Compare the file with its published checksum (--sha256, --checksums), or use --trusted: the mark is then not passed on.",
        example: "Windows marked it as coming from the internet, host downloads.brackwater.example",
    }
    AheadOfSystem = "ahead-of-system", Caution {
        means: "A folder comes before the Windows system folders in every user's PATH.",
        why: "a program in it can replace a system program, for administrators too",
        comes_about: "Somebody moved it there, or an installer put it first.",
        settle: "Move it after the system folders, unless it is meant to replace their programs.",
        example: "C:\\tide\\bin comes before C:\\Windows\\system32",
    }
    StrayVariable = "stray-variable", Caution {
        means: "A variable's name suggests that somebody meant to edit PATH.",
        why: "the intended PATH change has no effect",
        comes_about: "In the environment dialog a new variable was created instead of editing Path.",
        settle: "Move its folders to Path, then delete the variable.",
        example: "PATHS = C:\\tide\\bin",
    }
    ReferenceAcrossScopes = "reference-across-scopes", Caution {
        means: "An entry of the system's PATH refers to a user variable.",
        why: "the entry points nowhere for some programs, or to different folders",
        comes_about: "System variables are expanded before user variables exist, so the reference is not expanded.",
        settle: "Define the variable in the system scope too, or move the entry to the user's PATH.",
        example: "%TIDELOG_HOME%\\bin in the system's Path, TIDELOG_HOME in the user's variables",
    }
    PathTooLongForCmd = "path-too-long-for-cmd", Caution {
        means: "PATH is longer than cmd supports: some commands may not be found.",
        why: "entries at the end are ignored",
        comes_about: "Installers add entries, and few remove them.",
        settle: "Remove duplicate entries and entries whose folders no longer exist.",
        example: "wyard survey   # lists them",
    }
    PathTooLongForDialogs = "path-too-long-for-dialogs", Note {
        means: "PATH is longer than older Windows dialogs can edit.",
        why: "saving it in such a dialog truncates it",
        comes_about: "Installers add entries, and few remove them.",
        settle: "Do not edit PATH in such a dialog. Remove duplicate entries and entries whose folders no longer exist.",
        example: "wyard survey   # lists them",
    }
    VersionNotStated = "version-not-stated", Note {
        means: "The program runs, but prints no version that can be compared.",
        why: "it runs; its version is unknown",
        comes_about: "It has no version option, or prints the version in an unusual form.",
        settle: "Nothing to do: the file that runs is the one that was received.",
        example: "shoal: ready",
    }
    NoCommands = "no-commands", Caution {
        means: "The file contains no commands.",
        why: "there is nothing to run",
        comes_about: "It is a package of source code, libraries or documents.",
        settle: "Download a build for this system, or name the folder of the commands with --command-folder.",
        example: "driftc-1.0-src.tar.gz",
    }
    FixedPath = "fixed-path", Caution {
        means: "A launcher script refers to a path that probably exists only on its author's machine.",
        why: "the launcher fails, or starts something else",
        comes_about: "The tool was packed after it had been set up on a machine.",
        settle: "After unpacking, correct the path in that script.",
        example: "TIDE_LIB=/opt/tide/lib",
    }
    WeakChecksum = "weak-checksum", Note {
        means: "The only published checksum uses an algorithm that can be forged.",
        why: "a manipulated file could go unnoticed",
        comes_about: "MD5 and SHA-1 detect damage, but not a file crafted to have the same checksum.",
        settle: "Check whether a SHA-256 is published too.",
        example: "wyard receive tidelog-4.2.1.zip --sha256 DIGITS",
    }
    LinksCopied = "links-copied", Note {
        means: "Links in the archive were replaced by copies of their targets.",
        why: "the copies do not change with the original",
        comes_about: "On Windows only administrators can create links, unless developer mode is on.",
        settle: "Nothing to do, unless the copies take too much space.",
        example: "bin/tidelogc is a copy of bin/tidelog",
    }
    NotCompared = "not-compared", Note {
        means: "The file's checksum was computed, but there was no published checksum to compare it with.",
        why: "a manipulated file could go unnoticed",
        comes_about: "No checksum was given, and none of the usual checksum files is beside the download.",
        settle: "Pass the published checksum with --sha256 or --checksums, or save the checksum file beside the download.",
        example: "wyard inspect tidelog-4.2.1.zip --checksums SHA256SUMS",
    }
    FolderMissing = "folder-missing", Caution {
        means: "A PATH entry names a folder that does not exist.",
        why: "it slows every lookup, and whoever creates the folder controls it",
        comes_about: "The tool was removed or moved, but its entry was not.",
        settle: "Remove the entry where PATH is set.",
        example: "/opt/tidelog-3.8/bin",
    }
    NotAFolder = "not-a-folder", Caution {
        means: "A PATH entry names a file, but only folders are searched.",
        why: "the entry has no effect",
        comes_about: "The program's path was added instead of its folder.",
        settle: "Replace it with the folder that contains the file.",
        example: "/opt/shoal/shoal instead of /opt/shoal",
    }
    UnreadableFolder = "unreadable-folder", Note {
        means: "You may not read a folder in your PATH.",
        why: "its commands are unknown, and may not run",
        comes_about: "It belongs to another user, often root.",
        settle: "Remove the entry, or ask for read access.",
        example: "/root/bin",
    }
    DuplicateEntry = "duplicate-entry", Note {
        means: "Two PATH entries lead to the same folder; the second has no effect.",
        why: "PATH is longer than necessary",
        comes_about: "A startup file is read twice and adds its folder each time, or one entry is a link to the other.",
        settle: "Remove the later entry where PATH is set.",
        example: "PATH=~/bin:$PATH   # both in ~/.profile and in ~/.bashrc",
    }
    QuotedEntry = "quoted-entry", Caution {
        means: "A PATH entry contains quotes.",
        why: "the entry points nowhere for some programs",
        comes_about: "The folder was pasted with the quotes that a shell needs around spaces. In PATH most programs take them as part of the name.",
        settle: "Remove the quotes; spaces need none in PATH.",
        example: "\"C:\\Tide Office\\bin\"",
    }
    BlankEntry = "blank-entry", Caution {
        means: "An empty PATH entry means the current folder.",
        why: "a program in the current folder may run instead of the one you mean",
        comes_about: "PATH begins or ends with a separator, or contains two in a row, often because a variable was empty.",
        settle: "Remove the extra separator where PATH is set.",
        example: "PATH=$TIDE_BIN:$PATH   # TIDE_BIN is not set",
    }
    RelativeEntry = "relative-entry", Caution {
        means: "A PATH entry is a relative path; its meaning depends on the current folder.",
        why: "the entry points nowhere for some programs, or to different folders",
        comes_about: "The folder was written relative to one place.",
        settle: "Write the absolute path.",
        example: "PATH=bin:$PATH",
    }
    UnexpandedReference = "unexpanded-reference", Caution {
        means: "A PATH entry contains a variable reference that was not expanded.",
        why: "the entry points nowhere for some programs, or to different folders",
        comes_about: "It was set in single quotes, in a file that expands nothing, or the variable does not exist.",
        settle: "Write the folder out, or use double quotes so that the shell expands the variable.",
        example: "PATH='$TIDELOG_HOME/bin':$PATH",
    }
    EntryWithoutCommands = "entry-without-commands", Note {
        means: "A folder in PATH contains no commands.",
        why: "PATH is longer than necessary",
        comes_about: "A tool was removed but its folder was not, or the wrong folder was added.",
        settle: "Remove the entry, unless you plan to put commands there.",
        example: "/opt/tidelog/lib",
    }
    BinBelow = "bin-below", Caution {
        means: "A folder in PATH contains no commands, but its bin folder does.",
        why: "the commands in bin are not found",
        comes_about: "The tool's root folder was added to PATH instead of its bin folder.",
        settle: "Replace the entry with the bin folder.",
        example: "/opt/tidelog instead of /opt/tidelog/bin",
    }
    CleanedPlace = "cleaned-place", Caution {
        means: "A folder in PATH is in a place that people or the system clean up.",
        why: "the commands disappear at the next cleanup",
        comes_about: "A tool was unpacked in Downloads, on the desktop or in a temporary folder, and left there.",
        settle: "Move it to a permanent place, for example with 'wyard adopt FOLDER --move'.",
        example: "~/Downloads/tidelog-4.2.1/bin",
    }
    WritableByOthers = "writable-by-others", Problem {
        means: "Other users may write to a folder in your PATH.",
        why: "others can replace your programs, and run code with your rights",
        comes_about: "The folder, or one above it, has too open permissions.",
        settle: "Remove write access for group and others, or remove the entry.",
        example: "chmod go-w /opt/tide/bin",
    }
    PathDiffers = "path-differs", Note {
        means: "Shells, or ways of starting them, have different PATHs.",
        why: "a command may work in one terminal and not in another",
        comes_about: "Each reads different startup files, and PATH is set in only some of them.",
        settle: "If a command is missing in one shell, set its folder there too; 'wyard register' updates all of them.",
        example: "~/.bashrc adds a folder, so login shells do not have it",
    }
    PlaceSilent = "place-silent", Caution {
        means: "A folder in PATH did not answer within two seconds.",
        why: "every lookup of an unknown command waits for it",
        comes_about: "It is on a network or drive that is not available.",
        settle: "Remove it from PATH, move it to the end, or connect the drive.",
        example: "PATH=/net/harbour/bin:...   # the server is off",
    }
    RootAndBin = "root-and-bin", Note {
        means: "PATH contains a tool's root folder, which has no commands, and its bin folder.",
        why: "PATH is longer than necessary",
        comes_about: "The root folder was added first, by mistake.",
        settle: "Remove the root folder: 'wyard path drop DIR' or 'wyard path tidy'.",
        example: "PATH=/opt/tidelog:/opt/tidelog/bin:...",
    }
    InstallerFailed = "installer-failed", Problem {
        means: "The installer ended with an error, was cancelled, or did not end in time.",
        why: "the tool is missing or incomplete",
        comes_about: "Rights were missing, another installation was running, it asked a question, or a download inside it failed.",
        settle: "Read its log, then run it again with the arguments it needs after --. What it left is listed; --or-undo restores PATH.",
        example: "wyard receive buoyctl-2.4.run --yes -- --accept",
    }
    InstallerUnfinished = "installer-unfinished", Problem {
        means: "The installer succeeded, but its result could not be recorded and registered.",
        why: "the commands exist, but nothing proves that a new terminal finds them",
        comes_about: "Its folder shows no name or version, the version is already recorded elsewhere, or a startup file or registry key cannot be written.",
        settle: "Follow the finding; usually: adopt the folder with --name and --version.",
        example: "wyard adopt ~/buoyctl-2.4 --name buoyctl --version 2.4",
    }
    SeveralTools = "several-tools", Caution {
        means: "Several folders with commands appeared or changed while the installer ran.",
        why: "only one of them is the tool, and it is unclear which",
        comes_about: "The installer contains several tools, or another program ran at the same time.",
        settle: "Adopt the right folder. Before a run, name it with --command-folder DIR.",
        example: "wyard adopt ~/buoyctl-2.4",
    }
    PathReplaced = "path-replaced", Problem {
        means: "An installer replaces PATH, or would, instead of adding its folder to it.",
        why: "all commands in the previous PATH are lost in new terminals",
        comes_about: "The package's table omits the previous value, or the program does not read it.",
        settle: "If you must run it, use --or-undo, which restores PATH, then adopt the folder. What was lost is listed.",
        example: "PATH = C:\\buoyctl\\bin in the table instead of [~];C:\\buoyctl\\bin",
    }
    PathRestored = "path-restored", Caution {
        means: "An installer replaced PATH instead of adding its folder to it, and what it lost is there again.",
        why: "it happens again the next time the installer runs",
        comes_about: "The installer does not read the previous value. Wagon Yard restores the entries of recorded tools afterwards.",
        settle: "Nothing to do. After running the installer by hand, run 'wyard check'.",
        example: "PATH of the user environment lost %BUOYCTL_HOME%\\bin; restored",
    }
    VariableReplaced = "variable-replaced", Caution {
        means: "The package would change a variable that new terminals already have.",
        why: "programs that use the variable switch to another copy",
        comes_about: "Another copy or another tool has set it.",
        settle: "Note the value, or use --or-undo, which restores it if the check fails.",
        example: "BUOYCTL_HOME is C:\\tools\\buoyctl-2.3 now",
    }
    WouldBeShadowed = "would-be-shadowed", Caution {
        means: "An existing copy comes before the folder that the package adds to PATH.",
        why: "the existing copy would run instead",
        comes_about: "The package appends to PATH, or is for one user while the copy is in the system's PATH.",
        settle: "Remove the other copy, or move the new entry forward after the installation. The check afterwards shows which one runs.",
        example: "wyard path move C:\\buoyctl\\bin --before C:\\old",
    }
    FilesThere = "files-there", Caution {
        means: "The installer would overwrite existing files.",
        why: "manual changes in them are lost",
        comes_about: "The tool was installed before, by hand or by another version of the installer.",
        settle: "If you changed any of them, back it up first.",
        example: "3 of its files exist, for example ~/buoyctl-2.4/buoyctl.ini",
    }
    InstalledAlready = "installed-already", Note {
        means: "The system already lists an installed product with this name.",
        why: "many installers refuse to install over another version, or leave parts of it",
        comes_about: "It was installed earlier, in this or another version.",
        settle: "Most installers replace an older version. If this one refuses, remove the other one first.",
        example: "wyard retire buoyctl --uninstall",
    }
    ChangedMeanwhile = "changed-meanwhile", Caution {
        means: "A startup file or environment value changed while the installer ran, unrelated to the installer's files.",
        why: "the uninstaller will not undo it",
        comes_about: "The installer changed it for another reason, or another program did.",
        settle: "Look at the line, and remove it if you do not want it.",
        example: "PATH gained C:\\harbour\\bin while the installer of buoyctl ran",
    }
    CardWithoutFolder = "card-without-folder", Caution {
        means: "The yard has a card for a tool whose folder is missing.",
        why: "the yard's records do not match the disk",
        comes_about: "The folder was removed by hand.",
        settle: "Run 'wyard stock --mend' to remove the card, then receive the tool again.",
        example: "cards/tidelog/4.2.1.toml exists, stock/tidelog/4.2.1 does not",
    }
    CardUnreadable = "card-unreadable", Problem {
        means: "The yard has a card that cannot be read.",
        why: "its tool is ignored until the card can be read",
        comes_about: "It was edited by hand, or the disk damaged it.",
        settle: "Correct the file, or remove it and receive the tool again.",
        example: "cards/tidelog/4.2.1.toml: missing equals sign in line 3",
    }
    FolderWithoutCard = "folder-without-card", Caution {
        means: "The stock has a folder without a card.",
        why: "the yard's records do not match the disk",
        comes_about: "It was put there by hand, or its card was removed.",
        settle: "Run 'wyard stock --mend' to set it aside for 30 days, then receive the tool again.",
        example: "stock/shoal/2.0.3 exists, cards/shoal/2.0.3.toml does not",
    }
    CompanionsSplit = "companions-split", Caution {
        means: "Two folders contain commands of one tool, and each wins for some of them.",
        why: "parts of different versions may be used together",
        comes_about: "An older installation has fewer commands than the one after it, or some were removed by hand.",
        settle: "Remove the older folder from PATH, or move the other one before it: 'wyard path move DIR --before DIR'.",
        example: "tidelog is /old/bin/tidelog, and tidelogc is /new/bin/tidelogc",
    }
    StartupUndoes = "startup-undoes", Problem {
        means: "A line of a startup file overrides what Wagon Yard registered.",
        why: "the change has no effect",
        comes_about: "The line resets PATH, returns early, or defines an alias with that name.",
        settle: "Move Wagon Yard's block to the end of the file, or change that line.",
        example: "PATH=/usr/bin:/bin   # below the block in ~/.bashrc",
    }
    HomeVariableSeparator = "home-variable-separator", Note {
        means: "A home variable ends with a separator.",
        why: "some programs build wrong paths from it",
        comes_about: "Tab completion added the separator.",
        settle: "Remove the separator where the variable is set.",
        example: "TIDELOG_HOME=/opt/tidelog/",
    }
    HomeVariableOther = "home-variable-other", Caution {
        means: "A home variable points to one copy of a tool, and the command runs another.",
        why: "programs that use the variable run another copy than you do",
        comes_about: "One of the two was changed without the other, usually during an update.",
        settle: "Make both refer to the same copy: change the variable, or the order of PATH.",
        example: "TIDELOG_HOME=/opt/tidelog-3.9, while tidelog is /opt/tidelog-4.2.1/bin/tidelog",
    }
    HomeVariableScopes = "home-variable-scopes", Caution {
        means: "A home variable has different values for the user and for the system; the user's value wins.",
        why: "programs that use the variable may run another copy than you do",
        comes_about: "It was set for everybody first, and later for one user, or the other way round.",
        settle: "Remove the wrong one.",
        example: "TIDELOG_HOME is C:\\tidelog-4.2.1 for you, and C:\\tidelog-3.9 for the system",
    }
    HomeVariableDiffers = "home-variable-differs", Problem {
        means: "The home variable of a received tool is missing, or points elsewhere.",
        why: "programs that use the variable run another copy than you do",
        comes_about: "Another line sets it later, such as an older line in a startup file.",
        settle: "Remove that line. If the variable is missing, register the tool again.",
        example: "export TIDELOG_HOME=/opt/tidelog-3.9   # in ~/.profile",
    }
    HomeVariableInBin = "home-variable-in-bin", Caution {
        means: "A home variable points to a bin folder; tools expect bin, lib and conf inside it.",
        why: "programs that use the variable find nothing",
        comes_about: "The folder for PATH was used for the home variable.",
        settle: "Set it to the parent folder.",
        example: "TIDELOG_HOME=/opt/tidelog/bin",
    }
    HomeVariableNowhere = "home-variable-nowhere", Caution {
        means: "A home variable points to a folder that does not exist.",
        why: "programs that use the variable find nothing",
        comes_about: "The tool was moved or removed.",
        settle: "Correct the variable where it is set, or remove it.",
        example: "DRIFT_HOME=/opt/drift-0.9",
    }
    HomeVariableQuoted = "home-variable-quoted", Caution {
        means: "A home variable's value contains quotes.",
        why: "programs that use the variable find nothing",
        comes_about: "The value was pasted with quotes, which become part of the path.",
        settle: "Remove the quotes where the variable is set.",
        example: "TIDELOG_HOME=\"\\\"/opt/tide log\\\"\"",
    }
}

impl Serialize for Code {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.as_str())
    }
}

crate::schema_of_names!(Code, "Code", Code::ALL.iter().map(|code| code.as_str().to_owned()));

#[cfg(test)]
mod tests {
    use std::collections::HashSet;

    use super::*;

    #[test]
    fn codes_are_kebab_case_and_unique() {
        let texts: HashSet<_> = Code::ALL.iter().map(|c| c.as_str()).collect();
        assert!(texts.iter().all(|t| t.bytes().all(|b| b.is_ascii_lowercase() || b == b'-')));
        assert_eq!(texts.len(), Code::ALL.len());
    }

    #[test]
    fn every_finding_is_explained_in_its_own_words() {
        let means: HashSet<&str> = Code::ALL.iter().map(|code| code.texts().means).collect();
        assert!(means.iter().all(|text| text.ends_with('.') && text.len() > 20));
        assert_eq!(means.len(), Code::ALL.len());
    }
}
