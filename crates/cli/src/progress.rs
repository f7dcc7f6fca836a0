//! Progress on a terminal: a bar while bytes move, a line for each stage that has ended.

use std::io::{self, IsTerminal as _, Write as _};
use std::path::PathBuf;
use std::sync::Mutex;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use wagon_yard_core::archive::Format;
use wagon_yard_core::checksum::Summed;
use wagon_yard_core::installer::InstallPlan;
use wagon_yard_core::jobs::consent::Consent;
use wagon_yard_core::jobs::receive::{Observer, Stage};
use wagon_yard_core::jobs::unpack::UnpackObserver;
use wagon_yard_core::progress::Progress;

use crate::ask;
use crate::context::Context;
use crate::view::{self, Page};

/// Shows progress on standard error and stage lines on standard output; neither where they are not wanted.
#[derive(Debug)]
pub struct Shown<'a> {
    context: &'a Context,
    bar: Mutex<Option<ProgressBar>>,
    stages: bool,
    bars: bool,
}

impl<'a> Shown<'a> {
    pub fn new(context: &'a Context) -> Self {
        let quiet = context.global.quiet;
        Self {
            context,
            bar: Mutex::new(None),
            stages: !quiet && !context.global.json,
            bars: !quiet && io::stderr().is_terminal(),
        }
    }

    fn with_bar(&self, act: impl FnOnce(&mut Option<ProgressBar>)) {
        act(&mut self.bar.lock().unwrap_or_else(std::sync::PoisonError::into_inner));
    }
}

impl Progress for Shown<'_> {
    fn begin(&self, stage: &'static str, total: Option<u64>) {
        if !self.bars {
            return;
        }
        let form = match total {
            Some(_) => "{msg:<9} {bar:30} {bytes} of {total_bytes}, {bytes_per_sec}, {eta} left",
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

impl Shown<'_> {
    fn line(&self, line: impl FnOnce(&Page, &mut dyn io::Write) -> io::Result<()>) {
        if self.stages {
            let mut out = anstream::stdout();
            // A closed pipe shows itself when the report is written.
            let _ = line(&self.context.page(), &mut out).and_then(|()| out.flush());
        }
    }
}

impl Observer for Shown<'_> {
    fn stage(&self, stage: &Stage<'_>) {
        self.line(|page, out| view::stages::stage(stage, page, out));
    }

    fn planned(&self, plan: &InstallPlan) {
        self.line(|page, out| view::install::write_plan(plan, page, out));
    }

    fn consents(&self, _plan: &InstallPlan) -> Consent {
        ask::consent()
    }

    fn choose(&self, folders: &[PathBuf]) -> Option<usize> {
        ask::which(folders)
    }
}

impl UnpackObserver for Shown<'_> {
    fn identified(&self, format: &Format) {
        self.stage(&Stage::Identified(format));
    }

    fn summed(&self, summed: &Summed) {
        self.stage(&Stage::Summed(summed));
    }
}
