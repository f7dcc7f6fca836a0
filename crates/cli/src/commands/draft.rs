//! `wyard draft`

use std::path::Path;
use std::process::ExitCode;

use wagon_yard_core::jobs::draft;

use crate::context::Context;
use crate::failure::Failure;

/// Prints a waybill of the yard as it is, or of a folder of downloads.
pub fn run(folder: Option<&Path>, context: &Context) -> Result<ExitCode, Failure> {
    let report = match folder {
        Some(folder) => draft::of_folder(&context.session, folder)?,
        None => draft::run(&context.session)?,
    };
    // For a file, not for people: nothing is escaped or broken.
    context.report(&report, |report, _, out| out.write_all(report.text.as_bytes()))
}
