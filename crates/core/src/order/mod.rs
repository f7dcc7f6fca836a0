//! What a change of order in PATH means to every command, and the smallest one by which a wanted copy wins.

mod meanings;
mod promotion;

pub use meanings::{Commands, MeaningChange};
pub use promotion::promotion;
