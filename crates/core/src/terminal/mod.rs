//! A new terminal, proved: each installed shell is really started, in each of the ways people start it, with a clean
//! environment, and asked what a command means to it.

mod answer;
mod asking;
mod at_prompt;
mod base;
mod differences;
mod elevated;
mod environment;
mod on_terminal;
mod origin;
mod path_view;
mod question;
mod quoting;
mod shells;
mod start_mode;
mod startup_folders;
mod startup_trace;
mod windows;

pub use answer::{Answer, Meaning, NoAnswer, Question, Said};
pub use asking::Asking;
pub use base::base_environments;
pub use differences::{commonest, tell_other_paths};
pub use elevated::{ElevatedPath, elevated_path};
pub use origin::{Found, Origin};
pub use path_view::{Origins, PathPart, PathView, registry_origins};
pub use shells::{InstalledShell, installed, unknown_login_shell};
pub use start_mode::{StartMode, TerminalKind};
pub use windows::background;
