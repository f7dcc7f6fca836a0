//! Names: of tools, versions and variables, what a file's name tells of them, and those that a system reserves.

mod guess;
mod names;
pub mod reserved;
mod similar;
mod taken;
mod typed;
mod version_order;

pub use guess::{Guess, guess, is_called_as_archive};
pub use names::{NameError, ToolName, Variable, Version};
pub use similar::{did_you_mean, similar};
pub use typed::{extension_rank, typed};
pub use version_order::compare_versions;
