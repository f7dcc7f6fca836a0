//! What every command needs: the machine, the wish to end, and where to write.

use std::io::{self, Write};

use serde::Serialize;
use wagon_yard_core::machine::Machine;
use wagon_yard_core::progress::Stop;
use wagon_yard_core::yard::{Settled, Yard};

use crate::args::{ColorWhen, Global};
use crate::failure::{Failure, OutputError, exit};
use crate::view::{Page, escape};

/// What every command needs.
#[derive(Debug)]
pub struct Context {
    /// The machine.
    pub machine: Machine,
    /// Set by Ctrl-C.
    pub stop: Stop,
    /// Options of every command.
    pub global: Global,
}

impl Context {
    /// Looks at the machine and takes charge of Ctrl-C.
    pub fn new(global: &Global) -> Result<Self, Failure> {
        let color = match global.color {
            ColorWhen::Auto => anstream::ColorChoice::Auto,
            ColorWhen::Always => anstream::ColorChoice::AlwaysAnsi,
            ColorWhen::Never => anstream::ColorChoice::Never,
        };
        color.write_global();
        let level = match global.verbose {
            0 => tracing_subscriber::filter::LevelFilter::WARN,
            1 => tracing_subscriber::filter::LevelFilter::INFO,
            _ => tracing_subscriber::filter::LevelFilter::DEBUG,
        };
        tracing_subscriber::fmt()
            .with_max_level(level)
            .with_writer(io::stderr)
            .without_time()
            .with_target(false)
            .init();
        let stop = Stop::default();
        let from_handler = stop.clone();
        ctrlc::set_handler(move || from_handler.request())
            .map_err(|e| Failure::new(exit::MACHINE, format!("could not take charge of Ctrl-C: {e}"), None))?;
        let scope = global.scope.map(Into::into).unwrap_or_default();
        let mut machine =
            Machine::new(std::env::vars_os().collect(), global.sandbox.as_deref(), global.yard.as_deref(), scope)?;
        machine.command_line = command_line();
        Ok(Self { machine, stop, global: global.clone() })
    }

    /// Settles what an earlier call has left half done, and tells it on standard error. Where that can't be done, commands
    /// that only look are none the worse, and those that write will say so.
    pub fn settle(&self) {
        let told: Vec<String> = match Yard::of(&self.machine).settle() {
            Ok(settled) => settled.iter().map(Settled::words).collect(),
            Err(error) => vec![format!("what an earlier call left half done can't be settled: {error}")],
        };
        let (page, mut out) = (Page::of_error_terminal(), anstream::stderr());
        for text in told {
            // Somebody who closed standard error does not want to be told.
            let _ = page.labelled(&mut out, "wyard:", 7, &escape(&text));
        }
    }

    /// Writes a report: as JSON where that was asked for, else through its text view.
    pub fn report<R: Serialize>(
        &self,
        report: &R,
        text: impl FnOnce(&R, &Page, &mut dyn Write) -> io::Result<()>,
    ) -> Result<(), Failure> {
        let written = if self.global.json {
            let mut out = io::stdout().lock();
            serde_json::to_writer_pretty(&mut out, report).map_err(io::Error::from).and_then(|()| writeln!(out))
        } else {
            let mut out = anstream::stdout();
            text(report, &Page::of_terminal().at_home(&self.machine.home), &mut out).and_then(|()| out.flush())
        };
        written.map_err(|e| OutputError(e).into())
    }
}

/// This call as it could be typed again.
fn command_line() -> String {
    let words = std::env::args_os().skip(1).map(|word| word.to_string_lossy().into_owned());
    shell_words::join(["wyard".to_owned()].into_iter().chain(words))
}
