//! `wyard page --into FILE`

use std::process::ExitCode;

use wagon_yard_core::jobs::compare::CompareRequest;
use wagon_yard_core::jobs::page::{self, PageOf};
use wagon_yard_core::jobs::snapshot::RecordRequest;

use crate::args::PageArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::{page as drawn, view};

pub fn run(args: PageArgs, context: &Context) -> Result<ExitCode, Failure> {
    let PageArgs { into, from, compare, base, name, versions } = args;
    let made_by = env!("CARGO_PKG_VERSION").to_owned();
    let of = match (from, compare.is_empty()) {
        (Some(file), _) => PageOf::Snapshot(file),
        (None, true) => PageOf::Here(RecordRequest { name, versions, made_by }),
        (None, false) => PageOf::Several(CompareRequest { base, files: compare, then: false, made_by }),
    };
    let content = page::content(&context.session, &of)?;
    let report = page::write(&into, &content, &drawn::document(&content))?;
    context.report(&report, view::page::write)
}
