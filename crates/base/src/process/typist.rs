//! Types lines at the prompt of a pseudo-terminal, and reads until they are answered.

use std::fs::File;
use std::io::Write as _;
use std::time::{Duration, Instant};

use crate::os;

/// So long nothing is written before a program counts as waiting that does not say so by the terminal's mode.
const QUIET: Duration = Duration::from_millis(20);

/// After so long a line without an answer is typed again, since something else may have read it; then after twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(300);

/// The longest such pause.
const LONGEST_PAUSE: Duration = Duration::from_secs(2);

/// What terminals are asked by programs that then wait for the answer, with what a plain one says (ECMA-48, DA and DSR).
const ANSWERS: [(&[u8], &[u8]); 3] =
    [(b"\x1b[c", b"\x1b[?62;22c"), (b"\x1b[0c", b"\x1b[?62;22c"), (b"\x1b[6n", b"\x1b[1;1R")];

/// What is typed, and when it is answered.
pub struct Typing<'a> {
    /// The lines, one after the other, each typed when the one before is answered.
    pub lines: &'a [String],
    /// Whether the output answers so many lines.
    pub is_answered: &'a dyn Fn(&[u8], usize) -> bool,
    /// Whether the output shows that a line is being answered, so that it is not typed again.
    pub is_begun: &'a dyn Fn(&[u8]) -> bool,
    /// Whether the first is typed before anybody waits for it: who edits no lines reads it all the same.
    pub ahead: bool,
}

pub(super) struct Typist<'a> {
    typing: Typing<'a>,
    line: usize,
    read: usize,
    changed: Instant,
    typed: Option<Instant>,
    pause: Duration,
}

impl<'a> Typist<'a> {
    pub fn new(typing: Typing<'a>) -> Self {
        Self { typing, line: 0, read: 0, changed: Instant::now(), typed: None, pause: FIRST_PAUSE }
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
            while self.line < self.typing.lines.len() && (self.typing.is_answered)(output, self.line + 1) {
                (self.line, self.typed, self.pause) = (self.line + 1, None, FIRST_PAUSE);
            }
        }
        let Some(line) = self.typing.lines.get(self.line) else { return true };
        let is_waiting = self.typing.ahead && self.line == 0
            || os::reads_by_character(terminal)
            || now.duration_since(self.changed) >= QUIET;
        let is_due = self.typed.is_none_or(|typed| now.duration_since(typed) >= self.pause);
        if is_waiting && is_due && !(self.typed.is_some() && (self.typing.is_begun)(output)) {
            if self.typed.is_some() {
                self.pause = (self.pause * 2).min(LONGEST_PAUSE);
            }
            self.typed = Some(now);
            // A program that has ended reads nothing more: that is seen elsewhere.
            let _ = terminal.write_all(format!("{line}\r").as_bytes());
        }
        false
    }
}
