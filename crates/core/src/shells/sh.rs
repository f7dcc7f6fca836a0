//! The system's plain shell (POSIX.1-2017, `sh`; dash(1)).

use std::path::PathBuf;

use super::rules::{Asked, CatchUpRules, FieldOrder, Readable, UnixRules};
use super::start_mode::StartMode;
use super::startup_file::{Dialect, StartupFolders};
use super::{kinds, posix};
use crate::resolve::Shell;

pub const CATCH_UP: CatchUpRules = posix::catch_up("eval \"$(wyard catch-up sh)\"");

pub const RULES: UnixRules = UnixRules {
    shell: Shell::Sh,
    is_running: "-z \"$BASH_VERSION$ZSH_VERSION$FISH_VERSION$KSH_VERSION\"",
    dialect: Dialect::Posix,
    word: posix::word,
    signs: &[],
    settings: |home, _| home.to_owned(),
    startup_files,
    more_files: |_| Vec::new(),
    system_files: (&["/etc/profile", "/etc/ksh.kshrc"], "/etc/profile.d"),
    system_targets: |_, profile, _| vec![profile.to_owned()],
    // "Invocation"; unless `ENV` names a file.
    inherits_from_login: true,
    // Older ones have no such flag.
    takes_login_flag: false,
    harmless: &StartMode::ALL,
    needs_to_write: true,
    typed_ahead: true,
    shares_question: true,
    question,
    order: FieldOrder::KindsFirst,
    prints_separators: false,
    file: posix::file,
    kind: kinds::in_a_word,
    read: ".",
    printf: "/usr/bin/printf",
    before_reading: "",
    line_hook: "",
    prompt_hook: "PROMPT_COMMAND",
    watch: ["\\command trap"; 2],
    watch_line: |_, _, _| {},
};

/// `~/.profile` as a login shell (POSIX leaves it open; dash(1) "Invocation"). As an interactive one it reads the file that
/// `ENV` names, which gets the block where there is one.
fn startup_files(folders: &StartupFolders, readable: Readable<'_>) -> Vec<PathBuf> {
    let of_variable = folders.sh_env.iter().filter(|file| readable(file)).cloned();
    [folders.home.join(".profile")].into_iter().chain(of_variable).collect()
}

/// A subshell without PATH, where it can be set, is asked for the kinds, and one without aliases and functions of these names
/// for the files.
fn question(asked: &Asked<'_>) -> String {
    let each = "\\command -v -- \"$c\" 2>/dev/null || :; \\command printf '\\0'";
    let kinds = posix::looped(asked, each);
    let files = "\\unalias \"$c\" 2>/dev/null; \\unset -f \"$c\" 2>/dev/null";
    let files = posix::looped(asked, &format!("{files}; {each}"));
    let loops = match asked.commands {
        [] => String::new(),
        _ => format!("(\n(PATH=/dev/null) 2>/dev/null && PATH=/dev/null\n{kinds})\n(\n{files})\n"),
    };
    posix::question(asked, "\\command", &loops)
}
