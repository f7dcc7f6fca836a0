//! Programs that are not ours: which version they are, asked with care.

use std::path::PathBuf;
use std::thread;
use std::time::Duration;

use super::probe::{self, FORMS, Target};
use crate::machine::Environment;
use crate::process;
use crate::progress::Stop;

/// Of the forms only those that no program takes for work to be done.
pub(super) const HARMLESS: &[&[&str]] = FORMS.split_at(2).0;

/// How long one may take to answer: nobody waits for it but somebody who looks.
const LIMIT: Duration = Duration::from_secs(1);

/// The versions that programs state, in their order, each with the name it is typed by; `None` where one states none, or
/// does not run.
#[must_use]
pub fn versions(programs: &[(String, PathBuf)], environment: &Environment, stop: &Stop) -> Vec<Option<String>> {
    let at_a_time = thread::available_parallelism().map_or(2, usize::from) * 2;
    process::side_by_side(programs, at_a_time, |(name, program)| {
        let target = Target { program, names: [name, name], expected: None, forms: HARMLESS, expects: None };
        probe::probe(&target, environment, LIMIT, stop).ok()?.version
    })
}
