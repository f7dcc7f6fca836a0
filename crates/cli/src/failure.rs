//! The one error type of the program: a message, its causes, the next thing to do, and the exit code.

use std::io::{self, Write};
use std::process::ExitCode;

use serde::Serialize;
use wagon_yard_core::error::ErrorClass;
use wagon_yard_core::session::JobError;

use crate::view;

/// Exit codes, as `design.md` and the README state them.
pub mod exit {
    /// Done, and the verdict is bad.
    pub const VERDICT: u8 = 1;
    pub const CALL: u8 = 2;
    pub const INPUT: u8 = 3;
    pub const MACHINE: u8 = 4;
    pub const INTERRUPTED: u8 = 130;
}

#[derive(Debug)]
pub struct Failure {
    message: String,
    causes: Vec<String>,
    next: Option<String>,
    code: u8,
    quiet: bool,
}

/// A failure as `--json` prints it.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct Document<'a> {
    format: u32,
    report: &'static str,
    message: &'a str,
    /// What lies behind it, the nearest cause first.
    causes: &'a [String],
    /// What to do next.
    next: Option<&'a str>,
    exit_code: u8,
}

impl Failure {
    pub fn new(code: u8, message: impl Into<String>, next: Option<&str>) -> Self {
        Self { message: message.into(), causes: Vec::new(), next: next.map(str::to_owned), code, quiet: false }
    }

    pub fn tell(&self, json: bool) -> ExitCode {
        if !self.quiet {
            // Nobody is left to be told when these writes fail.
            let _ = self.write(json);
        }
        ExitCode::from(self.code)
    }

    fn write(&self, json: bool) -> io::Result<()> {
        if json {
            let Self { message, causes, next, code, .. } = self;
            let next = next.as_deref();
            let document = Document { format: 1, report: "error", message, causes, next, exit_code: *code };
            serde_json::to_writer_pretty(io::stdout(), &document)?;
            writeln!(io::stdout())?;
        }
        let mut out = anstream::stderr();
        let page = view::Page::of_error_terminal();
        for (i, line) in self.message.split('\n').enumerate() {
            page.labelled(
                &mut out,
                if i == 0 { "wyard:" } else { "" },
                if i == 0 { 7 } else { 0 },
                &view::escape(line),
            )?;
        }
        for cause in &self.causes {
            for (i, line) in cause.lines().map(str::trim_end).filter(|line| !line.is_empty()).enumerate() {
                page.labelled(&mut out, if i == 0 { "  because:" } else { "" }, 11, &view::escape(line))?;
            }
        }
        if let Some(next) = &self.next {
            page.labelled(&mut out, "  next:", 11, &view::escape(next))?;
        }
        Ok(())
    }
}

impl<E: Into<JobError>> From<E> for Failure {
    fn from(error: E) -> Self {
        let error = error.into();
        let error = error.error();
        let code = match error.class() {
            ErrorClass::Call => exit::CALL,
            ErrorClass::Input => exit::INPUT,
            ErrorClass::Machine => exit::MACHINE,
            ErrorClass::Interrupted => exit::INTERRUPTED,
        };
        let message = error.to_string();
        let mut causes = Vec::new();
        let mut source = error.source();
        while let Some(cause) = source {
            let text = cause.to_string();
            if causes.last() != Some(&text) && text != message {
                causes.push(text);
            }
            source = cause.source();
        }
        Self { message, causes, next: error.hint(), code, quiet: false }
    }
}

/// Standard output could not be written: a closed pipe ends the program quietly.
impl From<OutputError> for Failure {
    fn from(OutputError(error): OutputError) -> Self {
        let quiet = error.kind() == io::ErrorKind::BrokenPipe;
        let mut failure = Self::new(exit::MACHINE, "could not write the output", None);
        failure.causes.push(error.to_string());
        Self { quiet, ..failure }
    }
}

#[derive(Debug)]
pub struct OutputError(pub io::Error);
