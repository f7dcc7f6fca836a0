//! zsh (zsh(1)).

use std::path::PathBuf;

use super::rules::{Asked, CatchUpRules, FieldOrder, Readable, UnixRules};
use super::start_mode::StartMode;
use super::startup_file::{Dialect, StartupFolders};
use super::watch::Watch;
use super::{kinds, posix};
use crate::resolve::Shell;

pub const CATCH_UP: CatchUpRules = posix::catch_up("eval \"$(wyard catch-up zsh)\"");

/// Traps, descriptors that are listened to, widgets, keys, functions that are called around each line, and timers.
const WATCH: [&str; 2] = [
    "\\builtin trap; \\builtin typeset +f -m 'TRAP*' 2>/dev/null; \\builtin zle -F -L 2>/dev/null; \
     \\builtin zle -lL 2>/dev/null; \\builtin bindkey ' ' 2>/dev/null; \\builtin bindkey '^M' 2>/dev/null; \
     [[ -n \"$preexec_functions$(\\builtin typeset +f preexec)\" || \"$(\\builtin emulate zsh -c \
     '\\builtin typeset -f ${${(v)widgets[(I)zle-line-*]}#user:}' 2>/dev/null)\" == *BUFFER* ]] && \\builtin print -r -- preexec; \
     \\builtin zmodload -e zsh/sched && { \\builtin print -r -- sched; \\builtin sched; }",
    "\\builtin trap",
];

pub const RULES: UnixRules = UnixRules {
    shell: Shell::Zsh,
    is_running: "-n \"$ZSH_VERSION\"",
    dialect: Dialect::Posix,
    word: posix::word,
    signs: &[".zshrc", ".zshenv", ".zprofile", ".zlogin"],
    settings: |home, environment| environment.folder("ZDOTDIR").unwrap_or_else(|| home.to_owned()),
    startup_files,
    more_files: |_| Vec::new(),
    system_files: (
        &["/etc/zshenv", "/etc/zsh/zshenv", "/etc/zprofile", "/etc/zsh/zprofile", "/etc/zshrc", "/etc/zsh/zshrc"],
        "/etc/profile.d",
    ),
    system_targets: |etc, _, _| {
        let folder = if etc.join("zsh").is_dir() { etc.join("zsh") } else { etc.to_owned() };
        vec![folder.join("zprofile"), folder.join("zshrc")]
    },
    inherits_from_login: false,
    takes_login_flag: true,
    harmless: &[StartMode::LoginCommand],
    needs_to_write: false,
    typed_ahead: false,
    shares_question: true,
    question,
    order: FieldOrder::Pairs,
    prints_separators: false,
    file: posix::file,
    kind: kinds::in_a_word,
    read: ".",
    printf: "/usr/bin/printf",
    before_reading: "",
    // "Hook Functions", `preexec`, which is told the line.
    line_hook: r#"for c in preexec "${preexec_functions[@]-}"; do \builtin typeset +f -- "$c" >/dev/null && "$c" LINE LINE LINE >/dev/null || \builtin :; done
"#,
    prompt_hook: "precmd or preexec",
    watch: WATCH,
    watch_line,
};

/// `.zprofile` and later `.zlogin` as a login shell, and `.zshrc` in between as an interactive one ("STARTUP/SHUTDOWN
/// FILES"), all in `ZDOTDIR` or the home. `.zlogin` has the last word, so it gets the block too where it exists; `.zprofile`
/// in any case, since `.zlogin` is where a session is often started.
fn startup_files(folders: &StartupFolders, readable: Readable<'_>) -> Vec<PathBuf> {
    let of_folder = |folder: &PathBuf| {
        let last = Some(folder.join(".zlogin")).filter(|last| readable(last));
        [folder.join(".zprofile"), folder.join(".zshrc")].into_iter().chain(last)
    };
    folders.zsh.iter().flat_map(of_folder).collect()
}

fn question(asked: &Asked<'_>) -> String {
    let each = "\\builtin whence -w -- \"$c\" 2>/dev/null; \\builtin printf '\\0'; \
         \\builtin whence -p -- \"$c\" 2>/dev/null; \\builtin printf '\\0'";
    posix::question(asked, "\\builtin", &posix::looped(asked, each))
}

fn watch_line(watch: &mut Watch, words: &[&str], _line: &str) {
    match *words {
        // A function that is called around each line, and may do something to it.
        ["preexec"] => watch.rewrites = true,
        [key @ ("\"^M\"" | "\" \""), widget] => {
            let usual = ["accept-line", "self-insert", "magic-space"];
            watch.rewrites |= !usual.contains(&widget) || key == "\"^M\"" && widget != "accept-line";
        }
        ["\"", "\"", widget] => watch.rewrites |= !["self-insert", "magic-space"].contains(&widget),
        ["zle", "-F" | "-Fw", ..] => watch.defers = true,
        ["zle", "-N", widget, ..] => watch.rewrites |= ["accept-line", "self-insert"].contains(&widget),
        _ => {}
    }
}
