//! Who hears of the stages of `receive`, and is asked on the way.

use std::path::PathBuf;

use super::stages::{LaidOut, Placed, Registered};
use crate::archive::Format;
use crate::check::ToolCheck;
use crate::checksum::Summed;
use crate::download::Download;
use crate::installer::InstallPlan;
use crate::jobs::consent::Consent;
use crate::jobs::preparing::PreparedReport;
use crate::progress::{Progress, Silent};

/// A stage that has come to its end, for a line of progress.
#[derive(Debug)]
pub enum Stage<'a> {
    /// The file was fetched, or was there from an earlier call.
    Downloaded(&'a Download),
    Identified(&'a Format),
    /// Its checksum is known, and what it was compared with.
    Summed(&'a Summed),
    /// Name, version and layout are known.
    LaidOut(&'a LaidOut),
    /// The tool is in the stock, or would be.
    Placed(&'a Placed),
    /// Its settings and launchers are written, or would be.
    Prepared(&'a [PreparedReport]),
    /// The stores are changed, or would be.
    Registered(&'a Registered),
    Checked(&'a ToolCheck),
}

/// Hears of stages and of progress within them, and answers questions; by default nobody is there.
pub trait Observer: Progress {
    fn stage(&self, _stage: &Stage<'_>) {}

    /// What would be run is known.
    fn planned(&self, _plan: &InstallPlan) {}

    /// Whether it may be run.
    fn consents(&self, _plan: &InstallPlan) -> Consent {
        Consent::NobodyToAsk
    }

    /// Which of several folders is the tool that was meant; `None` where nobody can tell.
    fn choose(&self, _folders: &[PathBuf]) -> Option<usize> {
        None
    }
}

impl Observer for Silent {}
