//! Where a program that is run reads and writes.

use std::fs::File;
use std::io;
use std::process::Stdio;
use std::time::{Duration, Instant};

use super::collected::{Bell, Collected};
use super::typist::{Typing, Typist};
use crate::os::{self, OwnedFd, SealChannel};
use crate::progress::Stop;

/// Hears what a program writes, as it comes: standard output and standard error in turns.
pub type OutputObserver<'a> = &'a dyn Fn(&[u8]);

/// How much of each stream is kept, in bytes; what comes after it is read and thrown away.
pub(super) const KEPT_OUTPUT: usize = 1 << 20;

/// The same where somebody types at a terminal: shells answer there for thousands of names.
pub(super) const KEPT_AT_TERMINAL: usize = 16 << 20;

/// The longest that is waited before it is looked at again what a person at a terminal would do next.
pub(super) const AT_TERMINAL: Duration = Duration::from_millis(10);

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
    pub fn ask(mut self, channel: &mut SealChannel, limit: Duration, stop: &Stop) -> Option<Vec<u8>> {
        if !channel.start_again() {
            return None;
        }
        drop(self.theirs);
        let start = Instant::now();
        let bell = Bell::default();
        let written = Collected::from(self.ours.try_clone().ok(), KEPT_AT_TERMINAL, &bell);
        loop {
            let is_answered = written.with(|output| self.typist.look(output, &self.ours));
            if is_answered || stop.requested() || start.elapsed() >= limit || channel.second_has_ended() {
                return Some(written.take());
            }
            bell.wait(AT_TERMINAL);
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
