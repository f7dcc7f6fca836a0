//! The built program, driven on files in temporary folders, with the real shells as judges.
#![allow(missing_docs, clippy::unwrap_used)]

mod archives;
mod broken;
mod demo;
mod home;
mod hostile;
mod interrupted;
mod judges;
mod receive;
mod startup;
