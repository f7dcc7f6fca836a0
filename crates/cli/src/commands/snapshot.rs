//! `wyard snapshot --into FILE`

use std::process::ExitCode;

use wagon_yard_core::jobs::snapshot::{self, RecordRequest, SnapshotRequest};

use crate::args::SnapshotArgs;
use crate::context::Context;
use crate::failure::Failure;
use crate::view;

pub fn run(args: SnapshotArgs, context: &Context) -> Result<ExitCode, Failure> {
    let SnapshotArgs { into, name, versions } = args;
    let made_by = env!("CARGO_PKG_VERSION").to_owned();
    let request = SnapshotRequest { into, record: RecordRequest { name, versions, made_by } };
    context.report(&snapshot::run(&context.session, &request)?, view::snapshot::write)
}
