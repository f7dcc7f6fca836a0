//! One run: a program started, watched, heard, and ended with all it has started.

use std::fs::File;
use std::io::{self, Read};
use std::process::{Command, ExitStatus, Stdio};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;
use std::time::{Duration, Instant};

use super::typist::{Typing, Typist};
use crate::os::{self, OwnedFd, SealChannel, SealReport, SealRequest};
use crate::progress::Stop;

/// How much of each stream is kept, in bytes; what comes after it is read and thrown away.
const KEPT_OUTPUT: usize = 1 << 20;

/// The same where somebody types at a terminal: shells answer there for thousands of names.
const KEPT_AT_TERMINAL: usize = 16 << 20;

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
    Interrupted,
}

impl From<SealReport> for Ending {
    fn from(report: SealReport) -> Self {
        match report {
            SealReport::Exited(status) => Self::Exited(status),
            SealReport::NotStarted(error) => Self::NotStarted(error),
            SealReport::NoSeal(why) => Self::NotStarted(io::Error::other(format!("the seal could not be made: {why}"))),
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

/// Hears what a program writes, as it comes: standard output and standard error in turns.
pub type OutputObserver<'a> = &'a dyn Fn(&[u8]);

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

/// How often those are looked for that the first program has left at work.
const LOOK_FOR_OTHERS: Duration = Duration::from_millis(50);

pub(super) enum Streams<'a> {
    /// An empty input, and a pipe for each of what it writes, which somebody hears.
    Apart(OutputObserver<'a>),
    /// Our end of a terminal, its own, and who types there; with a second one where the program is to be started again.
    Terminal(File, [Stdio; 3], Box<Typist<'a>>, Option<Box<SecondTerminal<'a>>>),
}

/// A terminal at which a program is started a second time while it runs at the first.
pub(super) struct SecondTerminal<'a> {
    ours: File,
    theirs: OwnedFd,
    typist: Typist<'a>,
}

impl<'a> SecondTerminal<'a> {
    fn open(typing: Typing<'a>) -> io::Result<Self> {
        let (ours, theirs) = os::open_second_terminal()?;
        Ok(Self { ours, theirs, typist: Typist::new(Some(typing)) })
    }

    /// The number by which the maker of a seal finds it.
    pub fn number(&self) -> Option<i32> {
        os::descriptor_number(&self.theirs)
    }

    /// Has the program started there, and reads until all is answered, the program ends, or it takes too long.
    fn ask(mut self, channel: &mut SealChannel, limit: Duration, stop: &Stop) -> Option<Vec<u8>> {
        if !channel.start_again() {
            return None;
        }
        drop(self.theirs);
        let start = Instant::now();
        let written = Collected::from(self.ours.try_clone().ok(), KEPT_AT_TERMINAL);
        loop {
            let is_answered = written.with(|output| self.typist.look(output, &self.ours));
            if is_answered || stop.requested() || start.elapsed() >= limit || channel.second_has_ended() {
                return Some(written.take());
            }
            thread::sleep(Duration::from_millis(2));
        }
    }
}

impl<'a> Streams<'a> {
    pub fn apart() -> Self {
        Self::Apart(&|_| {})
    }

    /// A terminal; without `typing` nobody sits there, and the input is at its end.
    pub fn typed(typing: Option<Typing<'a>>, again: bool) -> io::Result<Self> {
        let (ours, theirs) = os::open_terminal()?;
        let second = typing.filter(|_| again).map(SecondTerminal::open).transpose()?.map(Box::new);
        Ok(Self::Terminal(ours, theirs, Box::new(Typist::new(typing)), second))
    }

    /// The second terminal, where there is one.
    pub fn second(&self) -> Option<&SecondTerminal<'a>> {
        match self {
            Self::Terminal(.., second) => second.as_deref(),
            Self::Apart(_) => None,
        }
    }
}

/// Runs a command; one that makes a seal is told what to start in it.
pub(super) fn run_on(
    mut command: Command,
    seal: Option<(SealChannel, SealRequest)>,
    streams: Streams<'_>,
    patience: WaitPolicy,
    stop: &Stop,
) -> Outcome {
    let start = Instant::now();
    let before = if patience.of == WaitFor::All { os::at_work(None) } else { Vec::new() };
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
    // What is sealed gets a session of its own in the seal.
    let mut wrapped = if seal.is_some() { os::in_own_group(command) } else { os::in_own_session(command) };
    let mut child = match spawn(&mut wrapped) {
        Ok(child) => child,
        Err(e) => return Outcome::not_started(e, start.elapsed()),
    };
    // A terminal is at its end only when nobody else has it open.
    drop(wrapped);
    let mut channel = None;
    if let Some((mut opened, request)) = seal {
        // One that is gone says so below.
        let _ = opened.send(&request);
        channel = Some(opened);
    }
    let sits_there = typist.as_ref().is_some_and(|(_, typist)| typist.sits_there());
    let reader = typist.as_ref().map(|(ours, _)| ours.try_clone());
    let stdout = match reader {
        Some(reader) => Collected::from(reader.ok(), if sits_there { KEPT_AT_TERMINAL } else { KEPT_OUTPUT }),
        None => Collected::from(child.stdout().take(), KEPT_OUTPUT),
    };
    let stderr = Collected::from(child.stderr().take(), KEPT_OUTPUT);
    let mut heard = [0; 2];
    let mut tell = || {
        let Some(hear) = hear else { return };
        for (stream, heard) in [&stdout, &stderr].into_iter().zip(&mut heard) {
            hear(&stream.since(heard));
        }
    };
    let mut is_answered = false;
    let (mut first, first_process) = (None, child.id());
    let ending = loop {
        tell();
        if let Some((ours, typist)) = &mut typist
            && stdout.with(|output| typist.look(output, ours))
        {
            is_answered = true;
            break Ending::Exited(ExitStatus::default());
        }
        if let Some(status) = first
            && os::at_work(Some(first_process)).iter().all(|process| before.contains(process))
        {
            break Ending::Exited(status);
        }
        let ended = match &mut channel {
            _ if first.is_some() => None,
            Some(channel) => channel.report().map(Ending::from),
            None => child.try_wait().map_or_else(|e| Some(Ending::NotStarted(e)), |ended| ended.map(Ending::Exited)),
        };
        match ended {
            Some(Ending::Exited(status)) if patience.of == WaitFor::All => first = Some(status),
            Some(ending) => break ending,
            None if stop.requested() => break Ending::Interrupted,
            None if start.elapsed() >= patience.limit => break Ending::TimedOut,
            None => {}
        }
        // Poll less often the longer a process runs.
        let pause = (start.elapsed() / 16).clamp(Duration::from_micros(300), Duration::from_millis(5));
        thread::sleep(if first.is_some() { LOOK_FOR_OTHERS } else { pause });
    };
    let took = start.elapsed();
    let wait_for_streams = |patience: Duration| {
        let until = Instant::now() + patience;
        while !(stdout.ended() && stderr.ended()) && Instant::now() < until {
            thread::sleep(Duration::from_micros(200));
        }
    };
    let is_over = matches!(ending, Ending::Exited(_)) && !is_answered;
    if is_over {
        wait_for_streams(GRACE);
    }
    let (mut left, mut again) = (Vec::new(), None);
    if let Some(mut channel) = channel {
        if let Some(second) = second.filter(|_| is_answered) {
            again = second.ask(&mut channel, patience.limit, stop);
        }
        left = channel.end();
        // The maker of the seal ends when everything in it has, so that nobody holds the streams any more: what is still to be
        // read is only late.
        let until = Instant::now() + GRACE;
        while matches!(child.try_wait(), Ok(None)) && Instant::now() < until {
            thread::sleep(Duration::from_micros(100));
        }
        if is_over {
            wait_for_streams(READING);
        }
    }
    // Ends whatever is left of the group; that nothing is left is the usual case and no fault.
    let _ = child.start_kill();
    if is_over {
        // Who has left the group may still hold the streams; else what is to be read is only late.
        wait_for_streams(LATE);
    }
    tell();
    tracing::debug!(?ending, ?took, ?left, "the started program is done");
    if is_answered || !matches!(ending, Ending::Exited(_)) {
        let _ = child.wait();
    }
    Outcome { ending, stdout: stdout.take(), stderr: stderr.take(), took, left, second: again }
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

#[derive(Clone)]
struct Collected(Arc<Mutex<(Vec<u8>, bool)>>);

impl Collected {
    fn from(stream: Option<impl Read + Send + 'static>, most: usize) -> Self {
        let collected = Self(Arc::new(Mutex::new((Vec::new(), stream.is_none()))));
        if let Some(mut stream) = stream {
            let into = collected.clone();
            thread::spawn(move || {
                let mut buffer = vec![0; 1 << 14];
                while let Ok(read @ 1..) = stream.read(&mut buffer) {
                    let mut kept = into.lock();
                    let room = most - kept.0.len();
                    kept.0.extend_from_slice(&buffer[..read.min(room)]);
                }
                into.lock().1 = true;
            });
        }
        collected
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, (Vec<u8>, bool)> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What has come since it was last asked for.
    fn since(&self, heard: &mut usize) -> Vec<u8> {
        let kept = self.lock();
        let new = kept.0[*heard..].to_vec();
        *heard = kept.0.len();
        new
    }

    fn with<R>(&self, look: impl FnOnce(&[u8]) -> R) -> R {
        look(&self.lock().0)
    }

    fn ended(&self) -> bool {
        self.lock().1
    }

    fn take(&self) -> Vec<u8> {
        std::mem::take(&mut self.lock().0)
    }
}
