//! Programs that are not ours: which version they are, asked with care.

use std::collections::HashMap;
use std::path::PathBuf;
use std::thread;
use std::time::Duration;

use super::place::Place;
use super::probe::{self, Target};
use super::prober::Prober;
use crate::environment::Environment;
use crate::process;
use crate::session::Session;
use crate::start_policy::Purpose;
use crate::yard::YardError;

/// How long one may take to answer: nobody waits for it but somebody who looks.
const LIMIT: Duration = Duration::from_secs(1);

/// The versions that programs state, by their files; each comes with the name it is typed by. One that states none, or does
/// not run, is left out.
pub fn versions(
    session: &Session,
    programs: &[(String, PathBuf)],
    environment: &Environment,
) -> Result<HashMap<PathBuf, String>, YardError> {
    let prober = Prober::of(session, Purpose::Listing)?.within(LIMIT);
    let at_a_time = thread::available_parallelism().map_or(2, usize::from) * 2;
    let versions = process::side_by_side(programs, at_a_time, |(name, program)| {
        let place = Place { environment, context: None, script_host: None };
        probe::probe(&Target::stranger(program, name, &prober), place, &prober)
            .ok()?
            .version
            .map(|version| (program.clone(), version))
    });
    Ok(versions.into_iter().flatten().collect())
}
