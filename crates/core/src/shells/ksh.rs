//! The Korn shell (ksh(1)).

use std::path::PathBuf;

use super::rules::{Asked, CatchUpRules, FieldOrder, Readable, UnixRules};
use super::start_mode::StartMode;
use super::startup_file::{Dialect, StartupFolders};
use super::{kinds, posix};
use crate::resolve::Shell;

pub const CATCH_UP: CatchUpRules = posix::catch_up("eval \"$(wyard catch-up ksh)\"");

pub const RULES: UnixRules = UnixRules {
    shell: Shell::Ksh,
    is_running: "-n \"$KSH_VERSION\"",
    dialect: Dialect::Posix,
    word: posix::word,
    signs: &[".kshrc"],
    settings: |home, _| home.to_owned(),
    startup_files,
    more_files: |_| Vec::new(),
    system_files: (&["/etc/profile", "/etc/ksh.kshrc"], "/etc/profile.d"),
    system_targets: |etc, profile, _| vec![profile.to_owned(), etc.join("ksh.kshrc")],
    inherits_from_login: false,
    takes_login_flag: true,
    // An interactive one rewrites a history file.
    harmless: &[StartMode::LoginCommand],
    needs_to_write: true,
    typed_ahead: false,
    shares_question: true,
    question,
    order: FieldOrder::Pairs,
    prints_separators: false,
    file: posix::file,
    kind: kinds::in_a_sentence,
    read: ".",
    printf: "/usr/bin/printf",
    before_reading: "",
    line_hook: "",
    prompt_hook: "PROMPT_COMMAND",
    watch: ["\\command trap"; 2],
    watch_line: |_, _, _| {},
};

/// `~/.profile` as a login shell, and as an interactive one the file that `ENV` names, which is `~/.kshrc` unless somebody set
/// it ("Invocation").
fn startup_files(folders: &StartupFolders, readable: Readable<'_>) -> Vec<PathBuf> {
    let of_variable = folders.sh_env.iter().filter(|file| readable(file)).cloned();
    [".profile", ".kshrc"].map(|name| folders.home.join(name)).into_iter().chain(of_variable).collect()
}

/// It quotes what it finds as a word of its own language.
fn question(asked: &Asked<'_>) -> String {
    let each = "\\command eval \"_wyard_file=$(\\command whence -p -- \"$c\" 2>/dev/null)\"; \
         \\command printf '%s\\0' \"$(\\command whence -v -- \"$c\" 2>/dev/null)\" \"$_wyard_file\"";
    posix::question(asked, "\\command", &posix::looped(asked, each))
}
