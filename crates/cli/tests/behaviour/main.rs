//! The built program, driven on files in temporary folders, with the real shells as judges. A test that makes no sense
//! on one system is ignored there with the reason, so that the harness counts it.
#![allow(clippy::unwrap_used)]

mod adopt;
mod archives;
mod broken;
#[cfg(unix)]
mod browser;
#[cfg(unix)]
mod completions;
mod demo;
mod downloads;
mod everybody;
mod faults;
#[cfg(target_os = "linux")]
mod fitting;
mod forms;
mod guide;
mod home;
mod hostile;
#[cfg(unix)]
mod hostile_yard;
mod inspect;
mod installers;
mod interrupted;
mod itself;
mod judged;
mod judges;
#[cfg(unix)]
mod kept_yards;
mod lookup_on_windows;
mod odd_archives;
#[cfg(unix)]
mod odd_startup;
mod on_windows;
mod packages;
#[cfg(unix)]
mod page;
mod path;
mod path_on_windows;
mod preparing;
mod programs_on_windows;
mod prompts;
mod proof;
mod receive;
mod reliability;
#[cfg(unix)]
mod schemas;
#[cfg(unix)]
mod screens;
#[cfg(unix)]
mod sealed;
mod selftest;
mod server;
mod snapshots;
mod startup;
mod survey;
mod trace;
mod typed_machines;
mod waybills;
#[cfg(windows)]
mod windows_sessions;
