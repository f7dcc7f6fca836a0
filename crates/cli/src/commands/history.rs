//! `wyard history [ID]`

use std::process::ExitCode;

use wagon_yard_core::jobs::history::{self, HistoryRequest};

use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(id: Option<u64>, all: bool, context: &Context) -> Result<ExitCode, Failure> {
    let request = match id {
        Some(id) => HistoryRequest::One(id),
        None if all => HistoryRequest::All,
        None => HistoryRequest::Recent,
    };
    context.report(&history::run(&context.session, request)?, view::history::write)
}
