//! What is known of each shell, a file for each: the startup files it reads, how it is started and asked, how it writes words, and
//! what its answers mean. Others ask for these rules, and match no shell themselves.

mod all;
mod bash;
mod fish;
mod kinds;
mod ksh;
mod posix;
mod rules;
mod sh;
mod start_mode;
mod startup_file;
mod tcsh;
mod watch;
mod windows;
mod zsh;

pub use all::{catch_up_rules, unix_rules};
pub use rules::{Asked, CatchUpRules, FieldOrder, Readable, UnixRules};
pub use start_mode::{StartMode, TerminalKind};
pub use startup_file::{Dialect, StartupFile, StartupFolders};
pub use watch::Watch;
