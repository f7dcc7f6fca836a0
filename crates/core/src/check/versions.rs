//! Programs that are not ours: which version they are, asked with care.

use std::collections::HashMap;
use std::path::PathBuf;
use std::thread;
use std::time::Duration;

use super::probe::{self, HARMLESS, Target};
use crate::environment::Environment;
use crate::process;
use crate::progress::Stop;

/// How long one may take to answer: nobody waits for it but somebody who looks.
const LIMIT: Duration = Duration::from_secs(1);

/// The versions that programs state, by their files; each comes with the name it is typed by. One that states none, or does
/// not run, is left out.
#[must_use]
pub fn versions(programs: &[(String, PathBuf)], environment: &Environment, stop: &Stop) -> HashMap<PathBuf, String> {
    let at_a_time = thread::available_parallelism().map_or(2, usize::from) * 2;
    let versions = process::side_by_side(programs, at_a_time, |(name, program)| {
        let target = Target { program, names: [name, name], expected: None, forms: HARMLESS, expects: None };
        probe::probe(&target, environment, LIMIT, stop).ok()?.version.map(|version| (program.clone(), version))
    });
    versions.into_iter().flatten().collect()
}
