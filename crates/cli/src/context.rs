//! What every command needs: the session, and where to write.

use std::ffi::OsString;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use wagon_yard_core::environment::Environment;
use wagon_yard_core::given;
use wagon_yard_core::machine::Machine;
use wagon_yard_core::progress::Stop;
use wagon_yard_core::report::{Report, ReportBody};
use wagon_yard_core::session::{Session, SessionError, StartQuestion};
use wagon_yard_core::snapshot::Snapshot;
use wagon_yard_core::suggestion;

use crate::args::{Args, ColorWhen, Command, Global};
use crate::ask;
use crate::failure::{Failure, OutputError, exit};
use crate::view::{self, Page, escape};

#[derive(Debug)]
pub struct Context {
    pub session: Session,
    pub global: Global,
}

impl Context {
    pub fn new(args: &Args) -> Result<Self, Failure> {
        let global = &args.global;
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
            .with_writer(|| LogLines(io::stderr()))
            .without_time()
            .with_target(false)
            .init();
        let stop = Stop::default();
        let (from_handler, json) = (stop.clone(), global.json);
        ctrlc::set_handler(move || {
            from_handler.request();
            if given::is_waited_for() {
                Failure::from(SessionError::Interrupted).tell(json);
                std::process::exit(i32::from(exit::INTERRUPTED));
            }
        })
        .map_err(|e| Failure::new(exit::MACHINE, format!("could not handle Ctrl-C: {e}"), None))?;
        let scope = global.scope.map(Into::into).unwrap_or_default();
        let environment = Environment::of_process();
        let mut machine = Machine::new(environment, global.sandbox.as_deref(), global.yard.as_deref(), scope)?;
        machine.command_line = typed_again(&machine, "wyard".into(), |word| word.into());
        let program = std::env::current_exe().map_or_else(|_| "wyard".into(), PathBuf::into_os_string);
        machine.elevated_command_line = typed_again(&machine, program, |word| absolute(&machine, word));
        let mut session = Session::new(machine, stop);
        (session.makes_seals, session.unsealed) = (true, global.unsealed);
        session.agrees_to_starts = matches!(&args.command, Some(Command::Receive(receive)) if receive.installer.yes);
        session.start_question = ask::can_ask().then_some(StartQuestion(ask::may_start));
        session.keeps_evidence = match &args.command {
            Some(Command::Check(check)) => check.evidence,
            Some(Command::Trace(trace)) => trace.evidence,
            _ => false,
        };
        session.only_shells = (!global.shells.is_empty()).then(|| global.shells.clone());
        Ok(Self { session, global: global.clone() })
    }

    /// Tells on standard error what an earlier call has left half done. It is settled by commands that write; those that only
    /// look write nothing, in nobody's yard.
    pub fn tell_unfinished(&self) {
        let told = match self.session.unfinished() {
            Ok(None) => return,
            Ok(Some(text)) => text,
            Err(error) => format!("the records cannot be read: {error}"),
        };
        // Somebody who closed standard error does not want to be told.
        let _ = Page::of_error_terminal().labelled(&mut anstream::stderr(), "wyard:", 7, &escape(&told));
    }

    pub fn page(&self) -> Page {
        Page::of_terminal().of_machine(&self.session.machine).plain(self.global.plain)
    }
    /// Writes a report: as JSON where that was asked for, else through its text view. Gives the exit code that goes with it.
    pub fn report<T: ReportBody>(
        &self,
        report: &Report<T>,
        text: impl FnOnce(&Report<T>, &Page, &mut dyn Write) -> io::Result<()>,
    ) -> Result<ExitCode, Failure> {
        self.written(report, None, text)
    }

    /// The same of a recorded machine, with a line before the text that says which and when.
    pub fn recorded<T: ReportBody>(
        &self,
        snapshot: &Snapshot,
        report: &Report<T>,
        text: impl FnOnce(&Report<T>, &Page, &mut dyn Write) -> io::Result<()>,
    ) -> Result<ExitCode, Failure> {
        self.written(report, Some(&view::snapshot::title(snapshot)), text)
    }

    fn written<T: ReportBody>(
        &self,
        report: &Report<T>,
        title: Option<&str>,
        text: impl FnOnce(&Report<T>, &Page, &mut dyn Write) -> io::Result<()>,
    ) -> Result<ExitCode, Failure> {
        let written = if self.global.json {
            // Whole before the first byte is out: half a document says nothing.
            let document = serde_json::to_string_pretty(report)
                .map_err(|e| Failure::new(exit::MACHINE, format!("could not write the report as JSON: {e}"), None))?;
            writeln!(io::stdout(), "{document}")
        } else {
            let mut out = anstream::stdout();
            let page = self.page();
            let titled = title.map_or(Ok(()), |title| page.labelled(&mut out, "", 0, title));
            titled.and_then(|()| text(report, &page, &mut out)).and_then(|()| out.flush())
        };
        written.map_err(OutputError)?;
        Ok(if report.passes() { ExitCode::SUCCESS } else { ExitCode::from(exit::VERDICT) })
    }
}

/// Standard error for log lines, one in each write: what they quote comes from anywhere.
struct LogLines(io::Stderr);

impl Write for LogLines {
    fn write(&mut self, lines: &[u8]) -> io::Result<usize> {
        let text = String::from_utf8_lossy(lines);
        writeln!(self.0, "{}", escape(text.trim_end_matches('\n')))?;
        Ok(lines.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}

fn typed_again(machine: &Machine, program: OsString, word: impl Fn(&Path) -> OsString) -> String {
    let words = std::env::args_os().skip(1).map(|argument| word(Path::new(&argument)));
    let words: Vec<OsString> = [program].into_iter().chain(words).collect();
    suggestion::typed_again(machine.system(), &words)
}

/// A word of the command line as it means the same in another folder: what names something that is here is written out.
fn absolute(machine: &Machine, word: &Path) -> OsString {
    let place = machine.current_folder.join(word);
    let is_path = word.is_relative() && !word.as_os_str().is_empty() && place.exists();
    if is_path { place.into_os_string() } else { word.into() }
}
