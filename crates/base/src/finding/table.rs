//! All findings, with all that is said of each: the one list.
//!
//! A finding is added here and nowhere else: its name, its stable text, how much it matters, what it means, why it matters,
//! how it comes about, how to settle it, and an example in the made-up tools of the Brackwater Tide Office.

use serde::Serialize;

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

/// What is said of a finding, wherever it is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Texts {
    /// What it means.
    pub means: &'static str,
    /// Why it matters: what comes of it if nothing is done.
    pub why: &'static str,
    /// How it comes about.
    pub comes_about: &'static str,
    /// How to settle it.
    pub settle: &'static str,
    /// An example.
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

            /// What is said of it.
            #[must_use]
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
        means: "A new terminal does not find the command in any folder of its PATH.",
        why: "whoever types the command gets nothing",
        comes_about: "The tool is not registered, its entry was taken out, or a startup file sets PATH anew after ours.",
        settle: "Register it, then check. If it is still not found, trace it: the shells that miss it are named.",
        example: "wyard register tidelog && wyard check tidelog",
    }
    Shadowed = "shadowed", Problem {
        means: "Another program of the same name stands in a folder further in front of PATH, and runs instead.",
        why: "whoever types the command gets something else than what was installed",
        comes_about: "An older copy was put in place by hand or by an installer, or a startup file puts its folder first.",
        settle: "Trace the name to see the copies in order, then remove the other one or take its folder out of PATH.",
        example: "wyard trace tidelog   # an old tidelog 3.9 in ~/old/bin comes first",
    }
    HiddenByShell = "hidden-by-shell", Problem {
        means: "The shell answers the name by itself, before it looks for any file.",
        why: "whoever types the command gets something else than what was installed",
        comes_about: "An alias or function of that name is defined in a startup file, or the name is built into the shell.",
        settle: "Remove the alias or function. What is built in can be passed over by writing the path of the program.",
        example: "alias tidelog='tidelog --quiet'   # in ~/.bashrc",
    }
    UndoneAtPrompt = "undone-at-prompt", Problem {
        means: "A new terminal has the right PATH until the shell gets ready to show its prompt, and another one then.",
        why: "whoever types the command gets something else than what was installed",
        comes_about: "Something hooks in there: PROMPT_COMMAND in bash, precmd or preexec in zsh, fish_prompt in fish, precmd in tcsh.",
        settle: "Find the hook in the startup files, and let it put no folder in front of the tool's, or take it out.",
        example: "PROMPT_COMMAND='PATH=$HOME/old/bin:$PATH'   # in ~/.bashrc",
    }
    NoTerminalAnswer = "no-terminal-answer", Problem {
        means: "A shell was started as a new terminal starts it, and did not answer. Nothing is proved there.",
        why: "what could not be asked is not proved, whatever the files say",
        comes_about: "Something in its startup files waits for input, ends the shell, starts another program, or takes too long.",
        settle: "Open a new terminal of that shell and watch it start; shell_seconds in settings.toml allows more time.",
        example: "exec driftshell   # in ~/.bashrc: the shell is gone before it can be asked",
    }
    TerminalTaken = "terminal-taken", Caution {
        means: "The shell answers when it is started without a terminal. At a terminal it does not: something else runs there.",
        why: "what could not be asked is not proved, whatever the files say",
        comes_about: "A startup file asks for a terminal and then starts another shell or program in its place.",
        settle: "Where that is another shell, what counts is what that one says; it is asked as well where it is installed.",
        example: "[ -t 1 ] && exec zsh   # in ~/.bashrc",
    }
    DataBehind = "data-behind", Caution {
        means: "Extra data follows the end of the compressed file.",
        why: "the archive itself is complete; the extra data is ignored",
        comes_about: "The file was padded, signed, or concatenated with another one.",
        settle: "Compare the file with a published checksum, or ask its author.",
        example: "cat tidelog-4.2.1.tar.gz notes.txt > tidelog.tar.gz",
    }

    TarEndMissing = "tar-end-missing", Caution {
        means: "The tar archive has no end-of-archive marker.",
        why: "without a checksum nobody could tell whether it was cut off; here one shows that it is complete",
        comes_about: "Some programs do not write the two zero blocks at the end.",
        settle: "Nothing to do.",
        example: "tidelog-4.2.1.tar.gz, written by a library",
    }

    VersionOfItsOwn = "version-of-its-own", Note {
        means: "A command has a version of its own, different from the tool's.",
        why: "the tool's own command prints the right version, so nothing is wrong",
        comes_about: "Tools include others: an interpreter includes its package installer.",
        settle: "Nothing to do.",
        example: "tidelog 4.2.1 includes tidepack 99.1",
    }

    NotProven = "not-proven", Problem {
        means: "No problem was found, but nothing proves that the command works in a new terminal.",
        why: "an unproven command may fail in the next terminal",
        comes_about: "Shells and programs run sealed, so that nothing they do is kept. This system allows no seal, or only one \
            without write access, and some shells answer differently then. Or a program fails without a message.",
        settle: "Use --unsealed to run them without a seal; startup files and programs then have their usual side effects.",
        example: "wyard check tidelog --unsealed",
    }

    LeftRunning = "left-running", Note {
        means: "A program started a background process when it was asked for its version.",
        why: "the process was ended, and nothing it did was kept",
        comes_about: "The program starts a service on every call.",
        settle: "Nothing to do. --probe ARGUMENTS sets arguments that start nothing.",
        example: "tidelog --version    # starts tidelogd",
    }

    ShellUnknown = "shell-unknown", Problem {
        means: "The shell that you log in to is none of those that Wagon Yard registers in and asks.",
        why: "what could not be asked is not proved, whatever the files say",
        comes_about: "SHELL names another one than sh, bash, zsh, fish, ksh and tcsh.",
        settle: "Put the command folder into that shell's own PATH and try there, or name the shells that count in settings.toml.",
        example: "shells = [\"bash\"]   # in settings.toml, where terminals run bash whatever SHELL says",
    }
    ShellNotUsed = "shell-not-used", Note {
        means: "A shell is installed that you do not use: it is not your login shell and has no startup file in your home.",
        why: "nothing is registered there, so its terminals do not find the tools",
        comes_about: "Systems include several shells; most people use one or two.",
        settle: "Nothing to do. --shells includes one; from then on it counts as yours.",
        example: "wyard register tidelog --shells fish",
    }

    NoShell = "no-shell", Problem {
        means: "None of the shells in settings.toml is installed, so no new terminal could be opened to ask.",
        why: "what could not be asked is not proved, whatever the files say",
        comes_about: "The list of shells in settings.toml leaves out those of this machine.",
        settle: "Name the shells you use, or take the line out to have all that are installed.",
        example: "shells = [\"bash\", \"fish\"]   # in settings.toml",
    }
    WrongVersion = "wrong-version", Problem {
        means: "The program that runs states another version than the one that was received.",
        why: "whoever types the command gets something else than what was installed",
        comes_about: "The download held something else than its name says, or the program starts another copy of itself.",
        settle: "Compare the name of the download with what it answers; receive the right file with --replace.",
        example: "tidelog --version answers 4.2.0, the archive was called tidelog-4.2.1",
    }
    DoesNotStart = "does-not-start", Problem {
        means: "The program was found, and the system could not start it, or it crashed.",
        why: "whoever types the command gets nothing",
        comes_about: "It is for another processor or system, its interpreter or a library is missing, or the file is damaged.",
        settle: "What is missing is named. Install that, or download the package for this machine.",
        example: "a script begins with #!/usr/bin/env driftrun, and there is no driftrun",
    }
    NotExecutable = "not-executable", Problem {
        means: "The file is there, and its mode does not let you run it.",
        why: "whoever types the command gets nothing",
        comes_about: "It was copied or unpacked by something that drops modes, or belongs to somebody else.",
        settle: "chmod +x the file, or receive the tool again.",
        example: "chmod +x ~/tools/tidelog/bin/tidelog",
    }
    ForAnotherMachine = "for-another-machine", Problem {
        means: "The file is a program for another processor or system; it was not started.",
        why: "whoever types the command gets nothing",
        comes_about: "The wrong package was downloaded, or the tool was received with --foreign.",
        settle: "Download the package for this machine.",
        example: "tidelog-4.2.1-linux-arm64.tar.gz on a machine that needs linux-x64",
    }
    InterpreterMissing = "interpreter-missing", Problem {
        means: "The file is a script, and the program that its first line names is not there.",
        why: "whoever types the command gets nothing",
        comes_about: "That program is not installed, lies elsewhere, or the line ends in the line ending of Windows.",
        settle: "Install what the #! line names, or correct the line.",
        example: "#!/usr/bin/env driftrun, and there is no driftrun",
    }
    LibraryMissing = "library-missing", Problem {
        means: "A library that the program needs is not on this machine, or is of another version.",
        why: "whoever types the command gets nothing",
        comes_about: "The package brings only programs, its libraries were moved away, or the system lacks one.",
        settle: "Install the library that is named, or download the full package.",
        example: "tidelog: error while loading shared libraries: libshore.so.2",
    }
    BlockedByPolicy = "blocked-by-policy", Problem {
        means: "The system refuses to start the program, though its rights allow it.",
        why: "whoever types the command gets nothing",
        comes_about: "A disk mounted without the right to run programs, a security module, application control, or a scanner.",
        settle: "Ask whoever keeps the machine, or put the yard on another disk with WYARD_YARD.",
        example: "WYARD_YARD=/home/keeper/yard, where /data is mounted noexec",
    }
    Crashed = "crashed", Problem {
        means: "The program starts, and the system ends it.",
        why: "whoever types the command gets nothing",
        comes_about: "It is damaged, or built for a newer processor or system than this one.",
        settle: "Run it by hand to see more; compare its checksum; download a build for this machine.",
        example: "tidelog is ended by signal 11",
    }
    AsksForInput = "asks-for-input", Caution {
        means: "The program asks a question instead of answering; its input is closed here.",
        why: "that it runs is certain, which version it is is not",
        comes_about: "It needs to be set up first, or knows none of the usual ways to ask for its version.",
        settle: "Run it by hand once, or set how it is asked.",
        example: "wyard check tidelog --probe \"about\"",
    }
    CompanionsDisagree = "companions-disagree", Caution {
        means: "Commands that came together state different versions.",
        why: "versions that do not belong together can come to be used together",
        comes_about: "One of them is a wrapper that starts another copy, or a part was replaced by hand.",
        settle: "Receive the tool again with --replace; if the parts have versions of their own, set what is expected.",
        example: "tidelog states 4.2.1, tidelogc 4.1.0",
    }
    RequirementMissing = "requirement-missing", Problem {
        means: "The tool needs another command or a variable, and a new terminal does not have it, or it does not answer.",
        why: "the tool starts, and fails at the work that needs it",
        comes_about: "It was never installed, is not registered, or is set in one terminal only.",
        settle: "Receive or register what is named; set the variable where new terminals read it.",
        example: "tidelog needs driftc",
    }
    NoAnswerInTime = "no-answer-in-time", Problem {
        means: "The program starts, and neither answers nor ends in time, whatever harmless thing it is asked.",
        why: "what could not be asked is not proved, whatever the files say",
        comes_about: "It waits for input or for a device, opens a window, or is a service that keeps running.",
        settle: "Run it by hand. If it is only slow, allow more with probe_seconds in settings.toml.",
        example: "probe_seconds = 20   # in settings.toml",
    }
    StartedWithError = "started-with-error", Caution {
        means: "The program starts and ends with an error. That it could complain proves that it runs.",
        why: "that it runs is certain, which version it is is not",
        comes_about: "It wants arguments, a settings file or a device before it says its version.",
        settle: "Look at what it says. If that is only about missing input, nothing is to be done.",
        example: "buoyctl: no buoy in reach",
    }
    NoInterpreterLine = "no-interpreter-line", Caution {
        means: "The script does not say which program is to run it. Shells run it themselves, other programs can't.",
        why: "it works from a shell, and fails where a program starts it",
        comes_about: "Its first line is missing or does not begin with #!.",
        settle: "Ask its maker for a #! line, or write one if the script is yours.",
        example: "#!/bin/sh   # as the first line",
    }
    HidesOther = "hides-other", Caution {
        means: "Two different programs have the same name; the one further in front runs.",
        why: "versions that do not belong together can come to be used together",
        comes_about: "Two versions of a tool are in PATH, or a suite has a command that the system has too.",
        settle: "If the right one runs, nothing is to be done. Otherwise change the order of the folders.",
        example: "coastkit brings a command called sort, which comes before the system's",
    }
    StaleTerminal = "stale-terminal", Caution {
        means: "This terminal runs something else than one opened now would.",
        why: "what works here may fail in the next terminal, or the other way round",
        comes_about: "It was opened before PATH was changed, or PATH was changed by hand in it alone.",
        settle: "Close it and open a new one.",
        example: "export PATH=~/old/bin:$PATH   # lasts for one terminal only",
    }
    ChangeUndone = "change-undone", Problem {
        means: "PATH was changed, and a new terminal still has another one than the change should give it.",
        why: "the change is there, and has no effect",
        comes_about: "A line of a startup file that is read after Wagon Yard's block sets PATH or puts another folder first.",
        settle: "See with 'wyard path show' which line that is. Move Wagon Yard's block behind it, or change it.",
        example: "PATH=\"$HOME/old:$PATH\"   # below the block in ~/.bashrc",
    }
    SlowStartup = "slow-startup", Note {
        means: "A new terminal of this shell takes more than a second before it can be used.",
        why: "every new terminal waits, and so does whatever starts a shell",
        comes_about: "Something in its startup files starts programs or waits for a network.",
        settle: "Look at what they start. shell_seconds in settings.toml is how long wyard waits for an answer.",
        example: "eval \"$(harbour-login)\"   # in ~/.bashrc: two seconds each time",
    }
    RememberedPlace = "remembered-place", Caution {
        means: "The shell remembers a place for the name, and does not look in PATH.",
        why: "whoever types the command gets something else than what was installed",
        comes_about: "A startup file tells it to, with 'hash' in bash and zsh, often to save time.",
        settle: "Take that line out of the startup file.",
        example: "hash -p /opt/old/bin/tidelog tidelog   # in ~/.bashrc",
    }
    ElevatedDiffers = "elevated-differs", Note {
        means: "A command run with an administrator's rights searches a list of folders of its own, and finds another copy or none.",
        why: "a script that asks for more rights can run another program than it did without",
        comes_about: "The system's rules of elevation set that list, so that nobody's own folders count there.",
        settle: "Write the file with its folder, or register the tool in the system's scope.",
        example: "sudo tidelog   # not found, while tidelog works",
    }
    ElevatedUnknown = "elevated-unknown", Note {
        means: "Which folders are searched with an administrator's rights is not known: the rules may be read by an administrator only.",
        why: "what could not be asked is not proved, whatever the files say",
        comes_about: "The file /etc/sudoers keeps them, and most systems let nobody else read it.",
        settle: "Ask as an administrator, where it matters.",
        example: "sudo wyard trace tidelog --as elevated",
    }
    AppAlias = "app-alias", Caution {
        means: "The name is an app-execution alias of Windows: a file without content that starts an installed app, or the store.",
        why: "the store opens in place of the program",
        comes_about: "Windows comes with aliases for well-known names, or an app has brought one.",
        settle: "Switch it off in the system's settings, under app execution aliases.",
        example: "tidelog opens the store in place of running",
    }
    DriveAway = "drive-away", Note {
        means: "An entry of PATH lies on a drive or share that is not there at present.",
        why: "nobody can say whether its commands are there",
        comes_about: "The network drive is not connected, or this terminal is elevated: it does not have the drives of the usual session.",
        settle: "Connect the drive and look again. Take the entry out only if you no longer need it.",
        example: "Z:\\tide\\bin is on a drive that is not there now",
    }
    DownloadMark = "download-mark", Note {
        means: "Windows has marked the download as coming from another machine.",
        why: "from Explorer, SmartScreen holds marked programs back; under the policy RemoteSigned, PowerShell refuses marked scripts that nobody signed",
        comes_about: "The browser or mail program that saved the file marks it. What is unpacked from it carries the mark as well.",
        settle: "Compare it with the published checksum (--sha256 or --checksums), or say --trusted: the mark is then not passed on.",
        example: "Windows marked it as coming from the internet, host downloads.brackwater.example",
    }
    AheadOfSystem = "ahead-of-system", Caution {
        means: "On Windows a folder comes before the system's own folders in the PATH of every user.",
        why: "a program in it can take the place of one of the system's, for administrators as well",
        comes_about: "Somebody moved it there, or an installer put it first.",
        settle: "Move it behind the system's folders, unless it is meant to take their place.",
        example: "C:\\tide\\bin comes before C:\\Windows\\system32",
    }
    StrayVariable = "stray-variable", Caution {
        means: "There is a variable whose name looks as if somebody had meant to edit PATH.",
        why: "somebody meant to change PATH, and has not",
        comes_about: "In the dialog for variables a new one was made, where Path was to be edited.",
        settle: "Move its folders to Path, then delete it.",
        example: "PATHS = C:\\tide\\bin",
    }
    ReferenceAcrossScopes = "reference-across-scopes", Caution {
        means: "An entry of the system's PATH refers to a variable that only the user has.",
        why: "the entry leads nowhere for some programs, or to different places",
        comes_about: "The system's variables are filled in before the user's are there, so the reference stays as it is.",
        settle: "Put the variable into the system's scope as well, or move the entry to the user's PATH.",
        example: "%TIDELOG_HOME%\\bin in the system's Path, TIDELOG_HOME among the user's variables",
    }
    PathTooLongForCmd = "path-too-long-for-cmd", Caution {
        means: "PATH is longer than cmd can work with: commands there may not be found.",
        why: "entries at the end are lost",
        comes_about: "Every installer adds an entry, and few take one out.",
        settle: "Take out entries whose folders are gone, and those that are there twice.",
        example: "wyard survey   # names them",
    }
    PathTooLongForDialogs = "path-too-long-for-dialogs", Note {
        means: "PATH is longer than older dialogs keep when it is edited in them.",
        why: "entries at the end are lost",
        comes_about: "Every installer adds an entry, and few take one out.",
        settle: "Don't edit it in such a dialog; take out entries that are dead or there twice.",
        example: "wyard survey   # names them",
    }
    VersionNotStated = "version-not-stated", Note {
        means: "The program runs, and says no version that could be compared.",
        why: "that it runs is certain, which version it is is not",
        comes_about: "It has no option for that, or writes it in a form nobody else uses.",
        settle: "Nothing is to be done: the file that runs is the one that was received.",
        example: "shoal: ready",
    }
    NoCommands = "no-commands", Caution {
        means: "The file holds nothing that a person could type.",
        why: "whoever types the command gets nothing",
        comes_about: "It is a package of source code, libraries or documents.",
        settle: "Look for a build for this system where you found it; or name a folder with --command-folder.",
        example: "driftc-1.0-src.tar.gz",
    }
    FixedPath = "fixed-path", Caution {
        means: "A launcher script points to a place that only its maker's machine can be expected to have.",
        why: "the launcher starts nothing, or another machine's leftovers",
        comes_about: "The tool was packed after it had been set up somewhere.",
        settle: "Once it is unpacked, correct the path in that script.",
        example: "TIDE_LIB=/opt/tide/lib",
    }
    WeakChecksum = "weak-checksum", Note {
        means: "The only published checksum is of a kind that can be forged.",
        why: "a file that somebody has changed would not be noticed",
        comes_about: "MD5 and SHA-1 still tell a damaged download, but not one that was made to have the same checksum.",
        settle: "Look whether a SHA-256 is published as well.",
        example: "wyard receive tidelog-4.2.1.zip --sha256 DIGITS",
    }
    LinksCopied = "links-copied", Note {
        means: "Links in the archive became copies of what they lead to.",
        why: "the copies do not follow when the original is changed",
        comes_about: "On Windows links can be made only by administrators, or in developer mode.",
        settle: "Nothing is to be done, unless the copies take too much room.",
        example: "bin/tidelogc leads to bin/tidelog",
    }
    NotCompared = "not-compared", Note {
        means: "The checksum of the file was computed, but there was nothing to compare it with.",
        why: "a file that somebody has changed would not be noticed",
        comes_about: "No checksum was given, and none of the usual files lies beside the download.",
        settle: "Give the published one, or save its list beside the file.",
        example: "wyard inspect tidelog-4.2.1.zip --checksums SHA256SUMS",
    }
    FolderMissing = "folder-missing", Caution {
        means: "An entry of PATH names a folder that is not there.",
        why: "every search passes it in vain, and whoever makes the folder decides what is in it",
        comes_about: "The tool was removed or moved and its entry stayed, or a drive is not connected.",
        settle: "Take the entry out where PATH is set. It does no harm but to slow every lookup down, until somebody makes that folder.",
        example: "/opt/tidelog-3.8/bin",
    }
    NotAFolder = "not-a-folder", Caution {
        means: "An entry of PATH names a file. Only folders are searched.",
        why: "every search passes it in vain, and whoever makes the folder decides what is in it",
        comes_about: "The path of the program was pasted in place of its folder.",
        settle: "Put the folder that holds the file in PATH.",
        example: "/opt/shoal/shoal in place of /opt/shoal",
    }
    UnreadableFolder = "unreadable-folder", Note {
        means: "You may not look into a folder of your PATH.",
        why: "every search passes it in vain, and whoever makes the folder decides what is in it",
        comes_about: "It belongs to somebody else, as the superuser's folders do.",
        settle: "Take the entry out, or ask for the right to read it.",
        example: "/root/bin",
    }
    DuplicateEntry = "duplicate-entry", Note {
        means: "Two entries of PATH lead to the same folder; the one further back has no effect.",
        why: "PATH is longer than it need be",
        comes_about: "A startup file is read twice and adds its folder each time, or a link leads to the folder.",
        settle: "Take the later one out where PATH is set.",
        example: "PATH=~/bin:$PATH   # both in ~/.profile and in ~/.bashrc",
    }
    QuotedEntry = "quoted-entry", Caution {
        means: "An entry of PATH has quotes in it.",
        why: "the entry leads nowhere for some programs, or to different places",
        comes_about: "The folder was pasted with the quotes that a shell needs around spaces. In PATH most programs take them for a part of the name.",
        settle: "Take the quotes out; spaces need none there.",
        example: "\"C:\\Tide Office\\bin\"",
    }
    BlankEntry = "blank-entry", Caution {
        means: "An empty entry of PATH means the folder you happen to be in: whoever can write there decides what you run.",
        why: "a program in whatever folder you are in can run in place of the one you mean",
        comes_about: "PATH begins or ends with a separator, or has two side by side, often because a variable in it was empty.",
        settle: "Take the separator out where PATH is set.",
        example: "PATH=$TIDE_BIN:$PATH   # and TIDE_BIN is not set",
    }
    RelativeEntry = "relative-entry", Caution {
        means: "An entry of PATH does not begin at the root: what it means depends on the folder you are in.",
        why: "the entry leads nowhere for some programs, or to different places",
        comes_about: "A folder was written as it is seen from one place.",
        settle: "Write it out from the root.",
        example: "PATH=bin:$PATH",
    }
    UnexpandedReference = "unexpanded-reference", Caution {
        means: "An entry of PATH still has a reference in it that should have been filled in.",
        why: "the entry leads nowhere for some programs, or to different places",
        comes_about: "It was set in single quotes, in a file that fills nothing in, or refers to a variable that is not there.",
        settle: "Write the folder out, or use double quotes where the shell is to fill it in.",
        example: "PATH='$TIDELOG_HOME/bin':$PATH",
    }
    EntryWithoutCommands = "entry-without-commands", Note {
        means: "A folder of PATH holds nothing that can be typed.",
        why: "PATH is longer than it need be",
        comes_about: "A tool was removed and left its folder, or a folder above or beside the right one was added.",
        settle: "Take the entry out, unless something is yet to come there.",
        example: "/opt/tidelog/lib",
    }
    BinBelow = "bin-below", Caution {
        means: "A folder of PATH holds no command, while the bin folder in it does.",
        why: "the commands that somebody wanted are not found",
        comes_about: "The root of a tool was added to PATH where its bin was meant.",
        settle: "Put the bin folder in its place.",
        example: "/opt/tidelog in place of /opt/tidelog/bin",
    }
    CleanedPlace = "cleaned-place", Caution {
        means: "A folder of PATH lies where people or systems clean up.",
        why: "the commands are gone after the next cleaning",
        comes_about: "A tool was unpacked in Downloads, on the desktop or in a folder for temporary files, and left there.",
        settle: "Move it to a lasting place; what is received lies in the yard.",
        example: "~/Downloads/tidelog-4.2.1/bin",
    }
    WritableByOthers = "writable-by-others", Problem {
        means: "Others on this machine may put programs into a folder of your PATH, and so decide what you run.",
        why: "others decide what you run, with your rights",
        comes_about: "The folder was made with too many rights, or lies in one that everybody may write to.",
        settle: "Take the right to write from group and others, or take the entry out.",
        example: "chmod go-w /opt/tide/bin",
    }
    PathDiffers = "path-differs", Note {
        means: "Shells, or ways of starting them, do not have the same PATH.",
        why: "a command can work in one terminal and not in another",
        comes_about: "Each reads other startup files, and PATH is set in only some of them.",
        settle: "If a command is missing in one, set its folder in that shell's files too; 'wyard register' does all of them.",
        example: "a folder added in ~/.bashrc is missing in login shells",
    }
    PlaceSilent = "place-silent", Caution {
        means: "A folder of PATH did not answer within two seconds: every look for a command that is not found before it waits.",
        why: "every command that is not found takes as long",
        comes_about: "It lies on a network or a drive that is not there, or not now.",
        settle: "Take it out of PATH, put it at the end, or connect what it lies on.",
        example: "PATH=/net/harbour/bin:...   # the harbour's server is switched off",
    }
    RootAndBin = "root-and-bin", Note {
        means: "PATH has a tool's root folder, which holds no command, beside the folder in it that does.",
        why: "PATH is longer than it need be",
        comes_about: "The root was put into PATH first, and found to be the wrong folder.",
        settle: "Take the root out: 'wyard path drop DIR', or 'wyard path tidy'.",
        example: "PATH=/opt/tidelog:/opt/tidelog/bin:...",
    }
    InstallerFailed = "installer-failed", Problem {
        means: "The installer ended with an error, was cancelled, or did not end in time.",
        why: "what it was to bring is not there, or only a part of it",
        comes_about: "A right was missing, another installation was running, it asked something, or a download inside it failed.",
        settle: "Look into its log; run it again with what it needs behind --. What it left is listed; --or-undo restores PATH.",
        example: "wyard receive buoyctl-2.4.run --yes -- --accept",
    }
    InstallerUnfinished = "installer-unfinished", Problem {
        means: "The installer did its work, and what it left could not be taken on record and registered.",
        why: "the commands are there, and nothing proves that a new terminal finds them",
        comes_about: "Its folder tells neither name nor version, that version is on record from another place, or a store is in the way.",
        settle: "Do what the finding says, most often: adopt the folder, with --name and --version.",
        example: "wyard adopt ~/buoyctl-2.4 --name buoyctl --version 2.4",
    }
    SeveralTools = "several-tools", Caution {
        means: "Commands are in several folders that were made or written to while an installer ran.",
        why: "only one of them can be the tool, and nobody said which",
        comes_about: "It brought more than one tool, or another program was at work at the same time.",
        settle: "Adopt the folder that you mean. Before a run, --command-folder DIR says which it will be.",
        example: "wyard adopt ~/buoyctl-2.4",
    }
    PathReplaced = "path-replaced", Problem {
        means: "An installer sets PATH anew, or would, instead of adding its folder to what is there.",
        why: "every command whose folder stood in it is gone from new terminals",
        comes_about: "Its maker forgot what was there: in the table of a package the mark for it, in a program the reading of it.",
        settle: "If it has to be run, --or-undo brings PATH back, and the folder can be adopted afterwards. What was lost is named.",
        example: "PATH = C:\\buoyctl\\bin in the table, where [~];C:\\buoyctl\\bin was meant",
    }
    VariableReplaced = "variable-replaced", Caution {
        means: "The package would set a variable that new terminals have already, with another value.",
        why: "programs that go by the variable use another copy from then on",
        comes_about: "Another copy or another tool has set it.",
        settle: "Note the value down, or let the ledger do so: --or-undo brings it back if the check is not good.",
        example: "BUOYCTL_HOME is C:\\tools\\buoyctl-2.3 here",
    }
    WouldBeShadowed = "would-be-shadowed", Caution {
        means: "Where the package puts its folder into PATH, a copy that is here comes before it.",
        why: "what it brings would be there, and something else would run",
        comes_about: "It appends to PATH, or it is for one user while the copy stands in the system's PATH.",
        settle: "Remove the other copy, or move the entry forward when it is there. The check afterwards tells who wins.",
        example: "wyard path move C:\\buoyctl\\bin --before C:\\old",
    }
    FilesThere = "files-there", Caution {
        means: "Files that the installer would make are there, and it would write over them.",
        why: "what was changed in them by hand is lost",
        comes_about: "The tool was installed before, by hand or by another version of the installer.",
        settle: "If something in them was changed by hand, put it aside first.",
        example: "3 of its files are there already, ~/buoyctl-2.4/buoyctl.ini for one",
    }
    InstalledAlready = "installed-already", Note {
        means: "The system's own record of what is installed has a product of this name.",
        why: "installers often refuse to install over another version, or leave a part of it",
        comes_about: "It was installed earlier, in this version or another.",
        settle: "Most installers replace an older version. If this one refuses, remove the other one first.",
        example: "wyard retire buoyctl --uninstall",
    }
    ChangedMeanwhile = "changed-meanwhile", Caution {
        means: "A startup file or a value of the environment was changed while an installer ran, and points to nothing it made.",
        why: "what the installer did not do, its uninstaller will not take back",
        comes_about: "The installer did it for reasons of its own, or another program was at work at the same time.",
        settle: "Look at the line. If it is not wanted, take it out by hand.",
        example: "PATH got C:\\harbour\\bin while the installer of buoyctl ran",
    }
    CardWithoutFolder = "card-without-folder", Caution {
        means: "The yard has a card of a tool whose folder is not in the stock.",
        why: "the yard's records and the disk do not tell the same",
        comes_about: "The folder was removed by hand, or a receiving was broken off by an older wyard.",
        settle: "wyard stock --mend removes the card; then receive the tool again.",
        example: "cards/tidelog/4.2.1.toml is there, and stock/tidelog/4.2.1 is not",
    }
    CardUnreadable = "card-unreadable", Problem {
        means: "The yard has a card that cannot be read, so that nothing is known of its tool.",
        why: "what the card says of its tool does not count until it can be read",
        comes_about: "It was edited by hand, or the disk lost a part of it.",
        settle: "Correct the file at the place that is named, or remove it and receive the tool again.",
        example: "cards/tidelog/4.2.1.toml: an equals sign is missing in line 3",
    }
    FolderWithoutCard = "folder-without-card", Caution {
        means: "The stock has a folder that no card tells anything of.",
        why: "the yard's records and the disk do not tell the same",
        comes_about: "It was put there by hand, or its card was removed.",
        settle: "wyard stock --mend sets it aside for 30 days; receive the tool to have it again.",
        example: "stock/shoal/2.0.3 is there, and cards/shoal/2.0.3.toml is not",
    }
    CompanionsSplit = "companions-split", Caution {
        means: "Two folders hold commands of one tool, and of some the one wins, of others the other: versions may not fit together.",
        why: "versions that do not belong together can come to be used together",
        comes_about: "An older installation has fewer commands than the one behind it, or one of them was taken away by hand.",
        settle: "Take the older folder out of PATH, or move the other one before it: 'wyard path move DIR --before DIR'.",
        example: "tidelog is /old/bin/tidelog, and tidelogc is /new/bin/tidelogc",
    }
    StartupUndoes = "startup-undoes", Problem {
        means: "A line of a startup file that is read after Wagon Yard's block, or that ends the file before it, undoes what is registered.",
        why: "the change is there, and has no effect",
        comes_about: "PATH is set anew there, or the file returns early, or the name is made an alias.",
        settle: "Move Wagon Yard's block to the end of the file, or change that line.",
        example: "PATH=/usr/bin:/bin   # below the block in ~/.bashrc",
    }
    HomeVariableSeparator = "home-variable-separator", Note {
        means: "A home variable ends in a separator: most programs do not mind, some build paths with two of them.",
        why: "some programs build wrong paths from it",
        comes_about: "It was completed by a key that adds the separator.",
        settle: "Take the separator off where the variable is set.",
        example: "TIDELOG_HOME=/opt/tidelog/",
    }
    HomeVariableOther = "home-variable-other", Caution {
        means: "A home variable points to one copy of a tool, and the command of the tool's name runs another.",
        why: "programs that go by the variable use another copy than you do",
        comes_about: "One of the two was changed without the other, when a newer copy was put beside an older one.",
        settle: "Let both mean the same copy: change the variable, or the order of PATH.",
        example: "TIDELOG_HOME=/opt/tidelog-3.9, while tidelog is /opt/tidelog-4.2.1/bin/tidelog",
    }
    HomeVariableScopes = "home-variable-scopes", Caution {
        means: "A home variable has one value in the user's scope and another in the system's: the user's counts.",
        why: "programs that go by the variable use another copy than you do",
        comes_about: "It was set once for everybody, and later by hand for one user, or the other way round.",
        settle: "Remove the one that is wrong.",
        example: "TIDELOG_HOME is C:\\tidelog-4.2.1 for you, and C:\\tidelog-3.9 for the system",
    }
    HomeVariableDiffers = "home-variable-differs", Problem {
        means: "The home variable of a received tool is missing, or points elsewhere.",
        why: "programs that go by the variable use another copy than you do",
        comes_about: "Something sets it after us, such as an older line in a startup file.",
        settle: "Remove that line; register the tool again if the variable is missing.",
        example: "export TIDELOG_HOME=/opt/tidelog-3.9   # in ~/.profile",
    }
    HomeVariableInBin = "home-variable-in-bin", Caution {
        means: "A home variable points to a bin folder. Tools look for bin, lib and conf below it.",
        why: "programs that go by the variable find nothing",
        comes_about: "The folder for PATH and the one for the home variable were mixed up.",
        settle: "Let it point to the folder above.",
        example: "TIDELOG_HOME=/opt/tidelog/bin",
    }
    HomeVariableNowhere = "home-variable-nowhere", Caution {
        means: "A home variable points to a folder that is not there.",
        why: "programs that go by the variable find nothing",
        comes_about: "The tool was moved or removed.",
        settle: "Correct the variable where it is set, or take it out.",
        example: "DRIFT_HOME=/opt/drift-0.9",
    }
    HomeVariableQuoted = "home-variable-quoted", Caution {
        means: "A home variable has quotes in its value.",
        why: "programs that go by the variable find nothing",
        comes_about: "They were pasted along; in a value they are a part of the name.",
        settle: "Take them out where the variable is set.",
        example: "TIDELOG_HOME=\"\\\"/opt/tide log\\\"\"",
    }
}

impl Serialize for Code {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.as_str())
    }
}

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
