//! Startup files that share a terminal out among several shells: they start a program that does so, where they are not in
//! one already.

use super::startup_texts::StartupText;
use crate::environment::Environment;

/// What such programs set in the terminals they make. Startup files look for these, and do not start another.
const SHARED: [(&str, &str); 3] = [("TMUX", "none,0,0"), ("STY", "none"), ("ZELLIJ", "0")];

/// What a terminal begins with for these startup files: in one that was shared out, what such programs set.
pub(super) fn shared(base: &Environment, texts: &[StartupText]) -> Environment {
    let mut base = base.clone();
    for (name, value) in SHARED {
        if texts.iter().any(|text| text.text.contains(name)) {
            base.set(name, value);
        }
    }
    base
}
