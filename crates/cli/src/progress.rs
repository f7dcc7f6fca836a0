//! Progress on a terminal: a bar while bytes move, a line for each stage that has ended.

use std::io::{self, IsTerminal as _, Write as _};
use std::sync::Mutex;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use wagon_yard_core::progress::Progress;
use wagon_yard_core::receive::{Stage, Witness};

use crate::context::Context;
use crate::view::{self, Page};

/// Shows progress on standard error and stage lines on standard output; neither where they are not wanted.
#[derive(Debug)]
pub struct Shown {
    bar: Mutex<Option<ProgressBar>>,
    stages: bool,
    bars: bool,
}

impl Shown {
    /// For this call.
    pub fn new(context: &Context) -> Self {
        let quiet = context.global.quiet;
        Self {
            bar: Mutex::new(None),
            stages: !quiet && !context.global.json,
            bars: !quiet && io::stderr().is_terminal(),
        }
    }

    fn with_bar(&self, act: impl FnOnce(&mut Option<ProgressBar>)) {
        act(&mut self.bar.lock().unwrap_or_else(std::sync::PoisonError::into_inner));
    }
}

impl Progress for Shown {
    fn begin(&self, stage: &'static str, total: Option<u64>) {
        if !self.bars {
            return;
        }
        let form = match total {
            Some(_) => "{msg:<9} {bar:30} {bytes} of {total_bytes}, {bytes_per_sec}",
            None => "{msg:<9} {bytes}, {bytes_per_sec}",
        };
        let bar = ProgressBar::with_draw_target(total, ProgressDrawTarget::stderr_with_hz(10)).with_message(stage);
        if let Ok(style) = ProgressStyle::with_template(form) {
            bar.set_style(style.progress_chars("=> "));
        }
        self.with_bar(|shown| *shown = Some(bar));
    }

    fn advance(&self, bytes: u64) {
        if self.bars {
            self.with_bar(|shown| {
                if let Some(bar) = shown {
                    bar.inc(bytes);
                }
            });
        }
    }

    fn end(&self) {
        self.with_bar(|shown| {
            if let Some(bar) = shown.take() {
                bar.finish_and_clear();
            }
        });
    }
}

impl Witness for Shown {
    fn stage(&self, stage: &Stage<'_>) {
        if self.stages {
            let mut out = anstream::stdout();
            // A closed pipe shows itself when the report is written.
            let _ = view::receive::stage(stage, &Page::of_terminal(), &mut out).and_then(|()| out.flush());
        }
    }
}
