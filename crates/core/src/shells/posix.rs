//! What shells of the POSIX kind have in common.

use super::rules::{Asked, CatchUpRules};
use crate::quote;

/// At most this many names a loop goes through: bash puts the line of the loop together again for each of them.
const AT_A_TIME: usize = 100;

pub fn word(word: &str) -> String {
    String::from_utf8_lossy(&quote::posix(word.as_bytes())).into_owned()
}

/// The catch-up of a shell that is called like this.
pub const fn catch_up(call: &'static str) -> CatchUpRules {
    CatchUpRules {
        unset: |name| format!("unset {name}"),
        set: |name, text| Some(format!("export {name}={}", word(text))),
        forget: Some("hash -r"),
        call,
    }
}

/// Has a command done for each name, `$c`.
pub fn looped(asked: &Asked<'_>, body: &str) -> String {
    let some = asked.commands.chunks(AT_A_TIME);
    some.map(|some| format!("for c in {}; do {body}; done\n", some.join(" "))).collect()
}

/// The question around the loops: `own` keeps functions of the name away, `print` is printf(1).
///
/// Backslashes keep aliases away from our own words, `builtin` and `command` functions. A shell that is to end at the first
/// command that fails (`set -e`) is told not to, since a question often has no for an answer.
pub fn question(asked: &Asked<'_>, own: &str, loops: &str) -> String {
    let (Asked { marker, env, watch, .. }, print) = (asked, format!("{own} printf"));
    format!(
        "{own} set +euxv\n{print} '\\n%s\\0' {marker}; {print} '%s\\0' \"$PATH\" \"$PWD\"\n{loops}{env}\n{print} '%s\\0' {marker}-watch\n{watch}\n{print} '\\0%s\\0' {marker}\n"
    )
}

/// What was said of a file, without the line's end.
pub fn file(said: &[u8]) -> Vec<u8> {
    said.strip_suffix(b"\n").unwrap_or(said).to_vec()
}
