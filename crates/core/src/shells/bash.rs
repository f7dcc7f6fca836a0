//! bash (bash(1)).

use std::path::PathBuf;

use super::rules::{Asked, CatchUpRules, FieldOrder, Readable, UnixRules};
use super::startup_file::{Dialect, StartupFolders};
use super::watch::Watch;
use super::{kinds, posix};
use crate::resolve::Shell;

pub const CATCH_UP: CatchUpRules = posix::catch_up("eval \"$(wyard catch-up bash)\"");

/// `trap`, and `bind` for keys; the trap that looks at lines was noted before the question was read.
const WATCH: [&str; 2] = [
    "\\builtin trap -p; \\builtin test -z \"${_wyard_trap-}\" || \\builtin printf \"trap -- '' DEBUG\\n\"; \\builtin bind -s 2>/dev/null; \\builtin bind -X 2>/dev/null; \\builtin bind -q accept-line 2>/dev/null",
    "\\builtin trap -p",
];

pub const RULES: UnixRules = UnixRules {
    shell: Shell::Bash,
    is_running: "-n \"$BASH_VERSION\"",
    dialect: Dialect::Posix,
    word: posix::word,
    signs: &[".bashrc", ".bash_profile", ".bash_login"],
    settings: |home, _| home.to_owned(),
    startup_files,
    more_files: |_| Vec::new(),
    system_files: (&["/etc/profile", "/etc/bash.bashrc", "/etc/bashrc"], "/etc/profile.d"),
    system_targets: |etc, profile, readable| {
        let files = ["bash.bashrc", "bashrc"].map(|name| etc.join(name));
        [profile.to_owned()].into_iter().chain(files.into_iter().filter(|file| readable(file))).collect()
    },
    inherits_from_login: false,
    takes_login_flag: true,
    // It cuts a history file short in every mode where a startup file sets one.
    harmless: &[],
    needs_to_write: false,
    typed_ahead: false,
    shares_question: true,
    question,
    order: FieldOrder::FilesFirst,
    prints_separators: false,
    file: posix::file,
    kind: kinds::in_a_word,
    read: ".",
    printf: "/usr/bin/printf",
    // A file that is read has no such trap (`trap`). Where another shell sits there by then, that is an error of its own, and
    // what follows in the line is done.
    before_reading: " eval '_wyard_trap=$(trap -p DEBUG)';",
    // `trap`, DEBUG: the trap's own text, with the line in place of `BASH_COMMAND`.
    line_hook: r#"_wyard_line=LINE
if \builtin test -n "${_wyard_trap-}"; then
\builtin eval "_wyard_trap=(${_wyard_trap})"
_wyard_trap=${_wyard_trap[2]//BASH_COMMAND/_wyard_line}
\builtin eval "$_wyard_trap" >/dev/null 2>&1 || \builtin :
fi
"#,
    prompt_hook: "PROMPT_COMMAND",
    watch: WATCH,
    watch_line,
};

/// As a login shell the *first* readable one of `~/.bash_profile`, `~/.bash_login`, `~/.profile`, and as an interactive one
/// `~/.bashrc` ("INVOCATION"). A new `~/.bash_profile` would hide an existing `~/.profile`, so the one that counts is used,
/// and `~/.profile` made where there is none of the three.
fn startup_files(folders: &StartupFolders, readable: Readable<'_>) -> Vec<PathBuf> {
    let login = [".bash_profile", ".bash_login"].map(|name| folders.home.join(name));
    let login = login.into_iter().find(|file| readable(file)).unwrap_or_else(|| folders.home.join(".profile"));
    vec![login, folders.home.join(".bashrc")]
}

/// After the files the kinds, for which PATH need not be gone through once more; where it cannot be set, it is. In a shell of
/// their own: who changes PATH forgets what was remembered (`hash`).
fn question(asked: &Asked<'_>) -> String {
    let files = posix::looped(asked, "\\builtin type -P -- \"$c\" 2>/dev/null; \\builtin printf '\\0'");
    let kinds = posix::looped(asked, "\\builtin type -t -- \"$c\" 2>/dev/null; \\builtin printf '\\0'");
    let loops = match asked.commands {
        [] => String::new(),
        _ => format!("{files}(\n(PATH=/dev/null) 2>/dev/null && PATH=/dev/null\n{kinds})\n"),
    };
    posix::question(asked, "\\builtin", &loops)
}

fn watch_line(watch: &mut Watch, _words: &[&str], line: &str) {
    if let Some(binding) = line.strip_prefix('"') {
        let key = binding.split("\":").next().unwrap_or_default();
        watch.rewrites |= key.chars().count() == 1 || matches!(key, "\\C-m" | "\\C-j" | "\\r" | "\\n");
    } else if line.contains("accept-line") {
        // An answer of a shell without a line editor lacks this line.
        watch.rewrites |= !line.contains("\"\\C-m\"");
    }
}
