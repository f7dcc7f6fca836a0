//! The jobs: one for each command, from a request to a report. A job takes the [`crate::session::Session`] and a request of
//! its own, and gives a report or an error of its own.

pub mod adopt;
mod card_change;
pub mod catch_up;
pub mod check;
pub mod compare;
pub mod consent;
pub mod deliver;
pub mod draft;
pub mod explain;
mod fit;
pub mod history;
pub mod inspect;
pub mod machine;
mod marking;
mod opening;
pub mod page;
pub mod path;
pub mod preparing;
pub mod receive;
pub mod register;
pub mod retire;
mod runtimes;
pub mod selftest;
pub mod snapshot;
pub mod stock;
mod summing;
pub mod survey;
pub mod switch;
mod tool_names;
pub mod trace;
pub mod trial;
pub mod undo;
pub mod unpack;
