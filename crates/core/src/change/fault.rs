//! Faults on purpose, for the tests: the place through which all writes go can be told to fail, or to die, at step N.

use std::io;
use std::sync::OnceLock;
use std::sync::atomic::{AtomicU32, Ordering};

use crate::os;

/// `fail:N`, `die:N`, or `edit:N:FILE`, which has another program write to a file just then; read only by builds that are
/// made for tests.
const VARIABLE: &str = "WYARD_FAULT";

#[derive(Debug, Clone)]
enum Fault {
    Fail(u32),
    Die(u32),
    Edit(u32, String),
}

/// One step of all writing. It is an error, or the end of the process, where a test has planned one here.
pub(super) fn step() -> io::Result<()> {
    static PLAN: OnceLock<Option<Fault>> = OnceLock::new();
    static STEPS: AtomicU32 = AtomicU32::new(0);
    if !cfg!(debug_assertions) {
        return Ok(());
    }
    let Some(plan) = PLAN.get_or_init(planned) else { return Ok(()) };
    let step = STEPS.fetch_add(1, Ordering::SeqCst) + 1;
    match plan {
        Fault::Fail(at) if *at == step => Err(io::Error::other("a fault planned by a test")),
        Fault::Die(at) if *at == step => os::end_at_once(),
        Fault::Edit(at, file) if *at == step => {
            let mut text = std::fs::read(file)?;
            text.splice(0..0, b"# edited meanwhile\n".iter().copied());
            std::fs::write(file, text)
        }
        _ => Ok(()),
    }
}

fn planned() -> Option<Fault> {
    let text = std::env::var(VARIABLE).ok()?;
    let (kind, at) = text.split_once(':')?;
    if kind == "edit" {
        let (at, file) = at.split_once(':')?;
        return Some(Fault::Edit(at.parse().ok()?, file.to_owned()));
    }
    let at = at.parse().ok()?;
    match kind {
        "fail" => Some(Fault::Fail(at)),
        "die" => Some(Fault::Die(at)),
        _ => None,
    }
}
