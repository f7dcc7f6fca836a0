//! Starting other programs with a time limit, closed input, capped output, and nothing left running afterwards.

pub mod command_line;

use std::fs::File;
use std::io::{self, Read, Seek as _, Write as _};
use std::process::{Command, ExitStatus, Stdio};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;
use std::time::{Duration, Instant};

use crate::os;
use crate::progress::Stop;

/// How much of each stream is kept, in bytes; what comes after it is read and thrown away.
const KEPT_OUTPUT: usize = 1 << 20;

/// How long a stream may stay open after its program has ended: a child left in the background can hold it.
const GRACE: Duration = Duration::from_millis(200);

/// How a run ended.
#[derive(Debug)]
pub enum Ending {
    /// The program ended by itself.
    Exited(ExitStatus),
    /// The time limit passed; the program and its children were ended.
    TimedOut,
    /// It could not be started.
    NotStarted(io::Error),
    /// The user asked to stop.
    Interrupted,
}

/// What came of a run.
#[derive(Debug)]
pub struct Outcome {
    /// How it ended.
    pub ending: Ending,
    /// Its standard output, capped.
    pub stdout: Vec<u8>,
    /// Its standard error, capped.
    pub stderr: Vec<u8>,
    /// How long it took.
    pub took: Duration,
}

impl Outcome {
    fn not_started(error: io::Error, took: Duration) -> Self {
        Self { ending: Ending::NotStarted(error), stdout: Vec::new(), stderr: Vec::new(), took }
    }
}

/// Hears what a program writes, as it comes: standard output and standard error in turns.
pub type OutputObserver<'a> = &'a dyn Fn(&[u8]);

/// Runs a command to its end or to the time limit. Standard input is empty.
pub fn run(command: Command, limit: Duration, stop: &Stop) -> Outcome {
    run_observed(command, limit, stop, &|_| {})
}

/// The same, with somebody who hears what it writes while it runs.
pub fn run_observed(command: Command, limit: Duration, stop: &Stop, hear: OutputObserver<'_>) -> Outcome {
    run_on(command, Streams::Apart(Stdio::null()), limit, stop, hear)
}

/// Runs a command with a text as its standard input.
pub fn run_fed(command: Command, text: &str, limit: Duration, stop: &Stop) -> Outcome {
    let laid = tempfile::tempfile().and_then(|mut file| {
        file.write_all(text.as_bytes())?;
        file.rewind()?;
        Ok(file)
    });
    match laid {
        Ok(file) => run_on(command, Streams::Apart(file.into()), limit, stop, &|_| {}),
        Err(e) => Outcome::not_started(e, Duration::ZERO),
    }
}

/// Runs a command on a pseudo-terminal of its own, where whatever reads comes to the end at once. All that it writes is
/// given as its standard output.
pub fn run_on_terminal(command: Command, limit: Duration, stop: &Stop) -> Outcome {
    let opened = os::open_terminal().and_then(|(mut ours, streams)| {
        // So many reads are answered with the end, each by the character that says so (termios(3), VEOF).
        ours.write_all(&[4; 64])?;
        Ok((ours, streams))
    });
    match opened {
        Ok((ours, theirs)) => run_on(command, Streams::Terminal(ours, theirs), limit, stop, &|_| {}),
        Err(e) => Outcome::not_started(e, Duration::ZERO),
    }
}

/// Where a program reads and writes.
enum Streams {
    /// An input, and a pipe for each of what it writes.
    Apart(Stdio),
    /// Our end of a terminal, and its own.
    Terminal(File, [Stdio; 3]),
}

fn run_on(mut command: Command, streams: Streams, limit: Duration, stop: &Stop, hear: OutputObserver<'_>) -> Outcome {
    let start = Instant::now();
    let (terminal, [input, output, errors]) = match streams {
        Streams::Terminal(ours, theirs) => (Some(ours), theirs),
        Streams::Apart(input) => (None, [input, Stdio::piped(), Stdio::piped()]),
    };
    command.stdin(input).stdout(output).stderr(errors);
    tracing::debug!(?command, "start");
    os::keep_failures_quiet();
    os::end_children_with_us();
    let mut wrapped = os::in_own_session(command);
    let mut child = match spawn(&mut wrapped) {
        Ok(child) => child,
        Err(e) => return Outcome::not_started(e, start.elapsed()),
    };
    // A terminal is at its end only when nobody else has it open.
    drop(wrapped);
    let stdout = terminal.map_or_else(|| Collected::from(child.stdout().take()), |ours| Collected::from(Some(ours)));
    let stderr = Collected::from(child.stderr().take());
    let mut heard = [0; 2];
    let mut tell = || {
        for (stream, heard) in [&stdout, &stderr].into_iter().zip(&mut heard) {
            hear(&stream.since(heard));
        }
    };
    let mut pause = Duration::from_millis(1);
    let ending = loop {
        tell();
        match child.try_wait() {
            Ok(Some(status)) => break Ending::Exited(status),
            Ok(None) if stop.requested() => break Ending::Interrupted,
            Ok(None) if start.elapsed() >= limit => break Ending::TimedOut,
            Ok(None) => {}
            Err(e) => break Ending::NotStarted(e),
        }
        thread::sleep(pause);
        pause = (pause * 2).min(Duration::from_millis(10));
    };
    let took = start.elapsed();
    if matches!(ending, Ending::Exited(_)) {
        let until = Instant::now() + GRACE;
        while !(stdout.ended() && stderr.ended()) && Instant::now() < until {
            thread::sleep(Duration::from_millis(1));
        }
    }
    tell();
    tracing::debug!(?ending, ?took, "the started program is done");
    // Ends whatever is left of the group; that nothing is left is the usual case and no fault.
    let _ = child.start_kill();
    if !matches!(ending, Ending::Exited(_)) {
        let _ = child.wait();
    }
    Outcome { ending, stdout: stdout.take(), stderr: stderr.take(), took }
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

/// A stream read by a thread of its own.
#[derive(Clone)]
struct Collected(Arc<Mutex<(Vec<u8>, bool)>>);

impl Collected {
    fn from(stream: Option<impl Read + Send + 'static>) -> Self {
        let collected = Self(Arc::new(Mutex::new((Vec::new(), stream.is_none()))));
        if let Some(mut stream) = stream {
            let into = collected.clone();
            thread::spawn(move || {
                let mut buffer = vec![0; 1 << 14];
                while let Ok(read @ 1..) = stream.read(&mut buffer) {
                    let mut kept = into.lock();
                    let room = KEPT_OUTPUT - kept.0.len();
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

    fn ended(&self) -> bool {
        self.lock().1
    }

    fn take(&self) -> Vec<u8> {
        std::mem::take(&mut self.lock().0)
    }
}

/// Does the same to each item with at most `most` at a time; results in the order of the items.
pub fn side_by_side<T: Sync, R: Send>(items: &[T], most: usize, work: impl Fn(&T) -> R + Sync) -> Vec<R> {
    let next = AtomicUsize::new(0);
    let results: Mutex<Vec<Option<R>>> = Mutex::new(items.iter().map(|_| None).collect());
    thread::scope(|scope| {
        for _ in 0..most.min(items.len()) {
            scope.spawn(|| {
                while let Some((index, item)) = {
                    let index = next.fetch_add(1, Ordering::Relaxed);
                    items.get(index).map(|item| (index, item))
                } {
                    let result = work(item);
                    results.lock().unwrap_or_else(PoisonError::into_inner)[index] = Some(result);
                }
            });
        }
    });
    results.into_inner().unwrap_or_else(PoisonError::into_inner).into_iter().flatten().collect()
}
