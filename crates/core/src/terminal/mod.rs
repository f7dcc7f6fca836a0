//! A new terminal, proved: each of the user's shells is really started, in each of the ways people start it, with a clean
//! environment and sealed, and asked what a command means to it.

mod answer;
mod asking;
mod at_prompt;
mod base;
mod differences;
mod elevated;
mod environment;
mod evidence;
mod hidden;
mod idle;
mod installed;
mod leads;
mod marker;
mod multiplexers;
mod origin;
mod path_view;
mod question;
mod shell_start;
mod startup_folders;
mod startup_texts;
mod startup_trace;
mod typed;
mod variables;
mod windows;
mod windows_shells;

pub use answer::{Again, Answer, Later, Meaning, NoAnswer, Question, ScriptHost, ShellReply};
pub use asking::Asking;
pub use base::base_environments;
pub use differences::{leading, tell_other_paths};
pub use elevated::{ElevatedPath, elevated_path};
pub use evidence::Evidence;
pub use installed::{InstalledShell, installed, login_shell_among, of_user, unknown_login_shell, unused_shells};
pub use origin::{Found, Origin};
pub use path_view::{Origins, PathPart, PathView, registry_origins};
pub use windows::{background, system_path};
