//! Types lines at the prompt of a pseudo-terminal, and reads until they are answered.

use std::fs::File;
use std::io::Write as _;
use std::time::{Duration, Instant};

use crate::os;

/// So long nothing is written before a program counts as waiting that does not say so by the terminal's mode.
const QUIET: Duration = Duration::from_millis(20);

/// After so long a line without an answer is typed again, since something else may have read it; then after twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(300);

const LONGEST_PAUSE: Duration = Duration::from_secs(2);

/// What terminals are asked by programs that then wait for the answer, with what a plain one says (ECMA-48, DA and DSR).
const ANSWERS: [(&[u8], &[u8]); 3] =
    [(b"\x1b[c", b"\x1b[?62;22c"), (b"\x1b[0c", b"\x1b[?62;22c"), (b"\x1b[6n", b"\x1b[1;1R")];

/// The end of the input, typed at the beginning of a line (termios(3), `VEOF`), as often as a program may ask.
const ENDS_OF_INPUT: &[u8] = b"\x04\x04\x04\x04";

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Line {
    /// The line, without its end.
    pub text: String,
    pub after: Duration,
}

impl From<String> for Line {
    fn from(text: String) -> Self {
        Self { text, after: Duration::ZERO }
    }
}

#[derive(Clone, Copy)]
pub struct Typing<'a> {
    /// The line to be typed when so many were answered, by what was written until then; `None` when that was all.
    pub next: &'a dyn Fn(usize, &[u8]) -> Option<Line>,
    /// Whether the output answers so many lines.
    pub is_answered: &'a dyn Fn(&[u8], usize) -> bool,
    /// Whether the output shows that a line is being answered, so that it is not typed again.
    pub is_begun: &'a dyn Fn(&[u8], usize) -> bool,
    /// Whether the first is typed before anybody waits for it: who edits no lines reads it all the same.
    pub ahead: bool,
}

pub(super) struct Typist<'a> {
    /// `None` types only the end of the input, until the program ends.
    typing: Option<Typing<'a>>,
    answered: usize,
    line: Option<Line>,
    read: usize,
    changed: Instant,
    since: Instant,
    typed: Option<Instant>,
    pause: Duration,
}

impl<'a> Typist<'a> {
    pub fn new(typing: Option<Typing<'a>>) -> Self {
        let line = typing.as_ref().and_then(|typing| (typing.next)(0, &[]));
        let (changed, since) = (Instant::now(), Instant::now());
        Self { typing, answered: 0, line, read: 0, changed, since, typed: None, pause: FIRST_PAUSE }
    }

    pub fn sits_there(&self) -> bool {
        self.typing.is_some()
    }

    /// Looks at what was written until now, and types where that is due. Whether all is answered.
    pub fn look(&mut self, output: &[u8], mut terminal: &File) -> bool {
        let now = Instant::now();
        if output.len() > self.read {
            let new = &output[self.read..];
            for (question, answer) in ANSWERS {
                if new.windows(question.len()).any(|window| window == question) {
                    let _ = terminal.write_all(answer);
                }
            }
            (self.read, self.changed) = (output.len(), now);
            while let Some(typing) = self.typing.filter(|_| self.line.is_some())
                && (typing.is_answered)(output, self.answered + 1)
            {
                self.answered += 1;
                self.line = (typing.next)(self.answered, output);
                (self.typed, self.pause, self.since) = (None, FIRST_PAUSE, now);
            }
        }
        let Some(typing) = self.typing else {
            if self.is_due(now) {
                self.type_in(ENDS_OF_INPUT, terminal, now);
            }
            return false;
        };
        let Some(line) = &self.line else { return true };
        let is_waiting = typing.ahead && self.answered == 0
            || os::reads_by_character(terminal)
            || now.duration_since(self.changed) >= QUIET;
        let is_too_early = now.duration_since(self.since) < line.after;
        let is_being_answered = self.typed.is_some() && (typing.is_begun)(output, self.answered + 1);
        if is_waiting && !is_too_early && self.is_due(now) && !is_being_answered {
            let text = format!("{}\r", line.text);
            self.type_in(text.as_bytes(), terminal, now);
        }
        false
    }

    fn is_due(&self, now: Instant) -> bool {
        self.typed.is_none_or(|typed| now.duration_since(typed) >= self.pause)
    }

    fn type_in(&mut self, text: &[u8], mut terminal: &File, now: Instant) {
        if self.typed.is_some() {
            self.pause = (self.pause * 2).min(LONGEST_PAUSE);
        }
        self.typed = Some(now);
        // A program that has ended reads nothing more: that is seen elsewhere.
        let _ = terminal.write_all(text);
    }
}
