//! One run: a program started, watched, heard, and ended with all it has started.

use std::fs::File;
use std::io;
use std::process::{Command, ExitStatus, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use super::collected::{Bell, Collected};
use super::streams::{AT_TERMINAL, KEPT_AT_TERMINAL, KEPT_OUTPUT, OutputObserver, SecondTerminal, Streams};
use super::typist::Typist;
use crate::os::{self, SealChannel, SealReport, SealRequest};
use crate::progress::Stop;

/// How long a stream may stay open after its program has ended: a child left in the background can hold it.
const GRACE: Duration = Duration::from_millis(200);

/// How long the rest of a stream may take to be read on a busy machine.
const READING: Duration = Duration::from_secs(5);

/// The same where nothing says that nobody else holds the stream.
const LATE: Duration = Duration::from_secs(1);

#[derive(Debug)]
pub enum Ending {
    /// The program ended by itself, or was ended with success since all that was typed was answered.
    Exited(ExitStatus),
    /// The time limit passed; the program and its children were ended.
    TimedOut,
    NotStarted(io::Error),
    /// The seal could not be made, or broke, with the reason: nothing is known of the program.
    NoSeal(String),
    Interrupted,
}

impl From<SealReport> for Ending {
    fn from(report: SealReport) -> Self {
        match report {
            SealReport::Exited(status) => Self::Exited(status),
            SealReport::NotStarted(error) => Self::NotStarted(error),
            SealReport::NoSeal(why) => Self::NoSeal(why),
        }
    }
}

#[derive(Debug)]
pub struct Outcome {
    pub ending: Ending,
    /// Its standard output, capped.
    pub stdout: Vec<u8>,
    /// Its standard error, capped.
    pub stderr: Vec<u8>,
    pub took: Duration,
    /// Programs it had started that were still running, and were ended.
    pub left: Vec<String>,
    /// What it wrote when it was started once more in the same seal; `None` where it was not, since the first start had left
    /// nothing that the second could have found.
    pub second: Option<Vec<u8>>,
}

impl Outcome {
    pub fn not_started(error: io::Error, took: Duration) -> Self {
        Self {
            ending: Ending::NotStarted(error),
            stdout: Vec::new(),
            stderr: Vec::new(),
            took,
            left: Vec::new(),
            second: None,
        }
    }
}

/// Runs a command to its end or to the time limit. Standard input is empty.
pub fn run(command: Command, limit: Duration, stop: &Stop) -> Outcome {
    run_on(command, None, Streams::apart(), WaitPolicy { limit, of: WaitFor::First }, stop)
}

/// The same, and waits for the programs that it has started as well: many an installer hands its work to another program.
pub fn run_all(command: Command, limit: Duration, stop: &Stop) -> Outcome {
    run_on(command, None, Streams::apart(), WaitPolicy { limit, of: WaitFor::All }, stop)
}

/// The same, with somebody who hears what it writes while it runs.
pub fn run_observed(command: Command, limit: Duration, stop: &Stop, hear: OutputObserver<'_>) -> Outcome {
    run_on(command, None, Streams::Apart(hear), WaitPolicy { limit, of: WaitFor::First }, stop)
}

#[derive(Clone, Copy)]
pub(super) struct WaitPolicy {
    pub limit: Duration,
    pub of: WaitFor,
}

impl From<Duration> for WaitPolicy {
    fn from(limit: Duration) -> Self {
        Self { limit, of: WaitFor::First }
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum WaitFor {
    /// The program's; what it leaves running is ended.
    First,
    /// That of all it has started.
    All,
}

/// How often it is looked whether a program has ended that keeps its streams open, and whether the user wants to stop.
const LOOK: Duration = Duration::from_millis(20);

/// The same where it must be about to end.
const SOON: Duration = Duration::from_micros(200);

/// How often those are looked for that the first program has left at work.
const LOOK_FOR_OTHERS: Duration = Duration::from_millis(50);

/// Runs a command; one that makes a seal is told what to start in it.
pub(super) fn run_on(
    command: Command,
    seal: Option<(SealChannel, SealRequest)>,
    streams: Streams<'_>,
    patience: WaitPolicy,
    stop: &Stop,
) -> Outcome {
    let start = Instant::now();
    let before = if patience.of == WaitFor::All { os::at_work(None) } else { Vec::new() };
    let mut running = match Running::start(command, seal, streams) {
        Ok(running) => running,
        Err(e) => return Outcome::not_started(e, start.elapsed()),
    };
    let ending = running.watch(start, patience, &before, stop);
    let took = start.elapsed();
    running.wind_up(ending, took, patience.limit, stop)
}

/// A program at work, and what it is connected with.
struct Running<'a> {
    child: Box<dyn process_wrap::std::ChildWrapper>,
    /// To the maker of the seal it runs in.
    channel: Option<SealChannel>,
    stdout: Collected,
    stderr: Collected,
    bell: Bell,
    hear: Option<OutputObserver<'a>>,
    heard: [usize; 2],
    typist: Option<(File, Box<Typist<'a>>)>,
    second: Option<Box<SecondTerminal<'a>>>,
    /// Whether all that was typed was answered, so that nobody waits for its end.
    is_answered: bool,
}

impl<'a> Running<'a> {
    fn start(mut command: Command, seal: Option<(SealChannel, SealRequest)>, streams: Streams<'a>) -> io::Result<Self> {
        let (mut hear, mut typist, mut second) = (None, None, None);
        let [input, output, errors] = match streams {
            Streams::Terminal(ours, theirs, who, again) => {
                (typist, second) = (Some((ours, who)), again);
                theirs
            }
            Streams::Apart(who) => {
                hear = Some(who);
                [Stdio::null(), Stdio::piped(), Stdio::piped()]
            }
        };
        command.stdin(input).stdout(output).stderr(errors);
        match &seal {
            Some((_, request)) => {
                tracing::debug!(?request.program, ?request.arguments, level = request.level.name(), "start");
            }
            None => tracing::debug!(?command, "start"),
        }
        os::keep_failures_quiet();
        os::end_children_with_us();
        os::keep_handles_to_us();
        // What is sealed gets a session of its own in the seal.
        let mut wrapped = if seal.is_some() { os::in_own_group(command) } else { os::in_own_session(command) };
        let mut child = spawn(&mut wrapped)?;
        // A terminal is at its end only when nobody else has it open.
        drop(wrapped);
        let channel = seal.map(|(mut channel, request)| {
            // One that is gone says so later.
            let _ = channel.send(&request);
            channel
        });
        let bell = Bell::default();
        let sits_there = typist.as_ref().is_some_and(|(_, typist)| typist.sits_there());
        let stdout = match typist.as_ref().map(|(ours, _)| ours.try_clone()) {
            Some(ours) => Collected::from(ours.ok(), if sits_there { KEPT_AT_TERMINAL } else { KEPT_OUTPUT }, &bell),
            None => Collected::from(child.stdout().take(), KEPT_OUTPUT, &bell),
        };
        let stderr = Collected::from(child.stderr().take(), KEPT_OUTPUT, &bell);
        Ok(Self { child, channel, stdout, stderr, bell, hear, heard: [0; 2], typist, second, is_answered: false })
    }

    /// Passes on what has come since the last time.
    fn tell(&mut self) {
        let Some(hear) = self.hear else { return };
        for (stream, heard) in [&self.stdout, &self.stderr].into_iter().zip(&mut self.heard) {
            hear(&stream.since(heard));
        }
    }

    fn watch(&mut self, start: Instant, patience: WaitPolicy, before: &[u32], stop: &Stop) -> Ending {
        let (mut first, first_process) = (None, self.child.id());
        let mut silent_since = None;
        loop {
            self.tell();
            if let Some((ours, typist)) = &mut self.typist
                && self.stdout.with(|output| typist.look(output, ours))
            {
                self.is_answered = true;
                return Ending::Exited(ExitStatus::default());
            }
            if let Some(status) = first
                && os::at_work(Some(first_process)).iter().all(|process| before.contains(process))
            {
                return Ending::Exited(status);
            }
            let ended = match &mut self.channel {
                _ if first.is_some() => None,
                Some(channel) => channel.report().map(Ending::from),
                None => {
                    self.child.try_wait().map_or_else(|e| Some(Ending::NotStarted(e)), |end| end.map(Ending::Exited))
                }
            };
            match ended {
                Some(Ending::Exited(status)) if patience.of == WaitFor::All => first = Some(status),
                Some(ending) => return ending,
                None if stop.requested() => return Ending::Interrupted,
                None if start.elapsed() >= patience.limit => return Ending::TimedOut,
                None => {}
            }
            match first {
                Some(_) => thread::sleep(LOOK_FOR_OTHERS),
                // Its streams end when it does, but where it has left them to others: they wake us.
                None if self.typist.is_some() => self.bell.wait(AT_TERMINAL),
                None if self.streams_ended() => {
                    let silent: Instant = *silent_since.get_or_insert_with(Instant::now);
                    thread::sleep((silent.elapsed() / 4).clamp(SOON, LOOK));
                }
                None => self.bell.wait(LOOK),
            }
        }
    }

    fn streams_ended(&self) -> bool {
        self.stdout.ended() && self.stderr.ended()
    }

    fn wait_for_streams(&self, patience: Duration) {
        let until = Instant::now() + patience;
        while !self.streams_ended() && Instant::now() < until {
            self.bell.wait(until.saturating_duration_since(Instant::now()));
        }
    }

    /// Ends what is left, reads what is still to be read, and says what came of it.
    fn wind_up(mut self, ending: Ending, took: Duration, limit: Duration, stop: &Stop) -> Outcome {
        let is_over = matches!(ending, Ending::Exited(_)) && !self.is_answered;
        if is_over {
            self.wait_for_streams(GRACE);
        }
        let (mut left, mut again) = (Vec::new(), None);
        if let Some(mut channel) = self.channel.take() {
            if let Some(second) = self.second.take().filter(|_| self.is_answered) {
                again = second.ask(&mut channel, limit, stop);
            }
            left = channel.end();
            // The maker of the seal ends when everything in it has, so that nobody holds the streams any more: what is still to
            // be read is only late.
            let until = Instant::now() + GRACE;
            while matches!(self.child.try_wait(), Ok(None)) && Instant::now() < until {
                thread::sleep(SOON);
            }
            if is_over {
                self.wait_for_streams(READING);
            }
        }
        // Ends whatever is left of the group; that nothing is left is the usual case and no fault.
        let _ = self.child.start_kill();
        if is_over {
            // Who has left the group may still hold the streams; else what is to be read is only late.
            self.wait_for_streams(LATE);
        }
        self.tell();
        tracing::debug!(?ending, ?took, ?left, "the started program is done");
        if self.is_answered || !matches!(ending, Ending::Exited(_)) {
            let _ = self.child.wait();
        }
        Outcome { ending, stdout: self.stdout.take(), stderr: self.stderr.take(), took, left, second: again }
    }
}

fn spawn(wrapped: &mut process_wrap::std::CommandWrap) -> io::Result<Box<dyn process_wrap::std::ChildWrapper>> {
    let mut tries = 0;
    loop {
        match wrapped.spawn() {
            // Another thread of a busy program may have forked while it wrote this file.
            Err(e) if os::is_busy(&e) && tries < 20 => {
                tries += 1;
                thread::sleep(Duration::from_millis(5));
            }
            other => return other,
        }
    }
}
