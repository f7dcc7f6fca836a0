//! Registry states through the program in Wine: terminals opened from outside are the judge, and the keys are compared raw at each
//! step.
#![cfg(unix)]
#![allow(clippy::unwrap_used)]

mod changes;
mod lane;
mod receiving;
#[path = "../states/mod.rs"]
mod states;
