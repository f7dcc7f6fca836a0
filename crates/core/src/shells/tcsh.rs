//! The C shell with editing of the command line (tcsh(1)).

use std::path::PathBuf;

use super::kinds;
use super::rules::{Asked, CatchUpRules, FieldOrder, Readable, UnixRules};
use super::start_mode::StartMode;
use super::startup_file::{Dialect, StartupFolders};
use crate::quote;
use crate::resolve::Shell;

pub const CATCH_UP: CatchUpRules = CatchUpRules {
    unset: |name| format!("unsetenv {name}"),
    set: |name, text| Some(format!("setenv {name} {}", quoted(text))),
    forget: Some("rehash"),
    call: "eval \"`wyard catch-up tcsh | tr '\\n' ';'`\"",
};

/// What prints zero bytes for it.
const PRINT: &str = "/usr/bin/printf";

pub const RULES: UnixRules = UnixRules {
    shell: Shell::Tcsh,
    is_running: "",
    dialect: Dialect::Csh,
    word,
    signs: &[".tcshrc", ".cshrc", ".login"],
    settings: |home, _| home.to_owned(),
    startup_files,
    more_files: |_| Vec::new(),
    system_files: (&["/etc/csh.cshrc", "/etc/csh.login"], "/etc/profile.d"),
    system_targets: |etc, _, _| vec![etc.join("csh.cshrc")],
    inherits_from_login: false,
    // It takes the flag only where that is the only one.
    takes_login_flag: false,
    harmless: &StartMode::ALL,
    needs_to_write: false,
    typed_ahead: false,
    // Its language is another one.
    shares_question: false,
    question,
    order: FieldOrder::Pairs,
    prints_separators: true,
    file,
    kind: kinds::in_a_sentence,
    read: "source",
    printf: PRINT,
    before_reading: "",
    line_hook: "",
    prompt_hook: "the alias precmd",
    watch: ["/usr/bin/printf 'sched\\n'; sched; bindkey \"^M\"", ""],
    watch_line: |watch, words, _| {
        if let ["\"^M\"", .., does] = *words {
            watch.rewrites |= does != "newline";
        }
    },
};

fn quoted(word: &str) -> String {
    String::from_utf8_lossy(&quote::csh(word.as_bytes())).into_owned()
}

/// A quoted word is never a builtin or an alias to it.
fn word(word: &str) -> String {
    let is_plain = word.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"_-.+:/".contains(&byte));
    if is_plain { word.to_owned() } else { quoted(word) }
}

/// `~/.tcshrc`, or `~/.cshrc` where there is none, whatever way it is started, and later `~/.login` as a login shell
/// ("Startup and shutdown"). A new `~/.tcshrc` would hide a `~/.cshrc` of later, so that is made.
fn startup_files(folders: &StartupFolders, readable: Readable<'_>) -> Vec<PathBuf> {
    let [own, shared, last] = [".tcshrc", ".cshrc", ".login"].map(|name| folders.home.join(name));
    let last = Some(last).filter(|last| readable(last));
    [if readable(&own) { own } else { shared }].into_iter().chain(last).collect()
}

/// Loops do not work in a command line, and a quoted word is never a builtin: `unalias` keeps aliases away, from the next line
/// on.
fn question(asked: &Asked<'_>) -> String {
    let Asked { marker, env, watch, .. } = asked;
    let each = |c: &String| format!("which {c}; echo {marker}-next; where {c}; echo {marker}-next; ");
    let names: String = asked.commands.iter().map(each).collect();
    format!(
        "unset savehist echo verbose; unalias which; unalias where; unalias echo; unalias sched; unalias bindkey\n\
         {PRINT} '\\n%s\\0%s\\0%s\\0' {marker} $PATH:q $cwd:q; {names}{env}; {PRINT} '%s\\0' {marker}-watch\n{watch}\n{PRINT} '\\0%s\\0' {marker}"
    )
}

/// It lists all that answer, a line each.
fn file(said: &[u8]) -> Vec<u8> {
    let first = said.split(|byte| *byte == b'\n').find(|line| line.starts_with(b"/"));
    first.map(without_escapes).unwrap_or_default()
}

/// What it prints where no language is set, with each byte beyond ASCII as a backslash and three octal digits.
fn without_escapes(text: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some((first, after)) = rest.split_first() {
        let octal = after.get(..3).filter(|_| *first == b'\\').and_then(|digits| std::str::from_utf8(digits).ok());
        let byte = octal.and_then(|digits| u8::from_str_radix(digits, 8).ok()).filter(|byte| !byte.is_ascii());
        bytes.push(byte.unwrap_or(*first));
        rest = if byte.is_some() { &after[3..] } else { after };
    }
    bytes
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_beyond_ascii_are_read() {
        assert_eq!(without_escapes(b"/\\303\\274/a\\b\\101"), "/ü/a\\b\\101".as_bytes());
    }
}
