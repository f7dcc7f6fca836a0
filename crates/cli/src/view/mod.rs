//! Text views: from a report to lines for people. A view computes no fact.

pub mod adopt;
pub mod check;
pub mod compare;
pub mod deliver;
pub mod entries;
pub mod evidence;
pub mod explain;
pub mod history;
pub mod inspect;
pub mod inspect_folder;
pub mod install;
pub mod machine;
pub mod page;
pub mod path;
pub mod prepared;
pub mod receive;
pub mod register;
pub mod retire;
pub mod selftest;
pub mod snapshot;
pub mod stages;
pub mod stock;
pub mod stores;
pub mod style;
pub mod survey;
mod text;
pub mod trace;
pub mod trial;
pub mod undo;
pub mod unpack;

pub use text::{Page, count, escape, severity};
