//! Words for a shell to read, and words to find an answer by.

use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{SystemTime, UNIX_EPOCH};

use crate::quote;
use crate::resolve::Shell;

/// What prints zero bytes for a shell that cannot.
pub(super) const PRINT: &str = "/usr/bin/printf";

/// A line nobody else prints.
pub(super) fn marker() -> String {
    static COUNT: AtomicU64 = AtomicU64::new(0);
    let time = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default().as_nanos();
    format!("wyard-{}-{time:x}-{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed))
}

pub(super) fn quoted(shell: Shell, word: &str) -> String {
    let quoted = match shell {
        Shell::Fish => quote::fish(word.as_bytes()),
        // A quoted word is never a builtin or an alias to tcsh.
        Shell::Tcsh if word.bytes().all(|b| b.is_ascii_alphanumeric() || b"_-.+:/".contains(&b)) => {
            return word.to_owned();
        }
        Shell::Tcsh => quote::csh(word.as_bytes()),
        _ => quote::posix(word.as_bytes()),
    };
    String::from_utf8_lossy(&quoted).into_owned()
}
