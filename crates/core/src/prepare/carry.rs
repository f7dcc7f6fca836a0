//! Settings that come along from the version in use.

use std::path::{Path, PathBuf};

use super::apply::{Preparing, read};
use super::error::PrepareError;
use super::format::{PrepareStep, Step};

/// What became of settings that were edited in the version in use.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Carried {
    Taken(PathBuf),
    /// They stayed where they are, since the sample is another one now.
    NewSample(PathBuf),
    /// They stayed where they are, since the file of this version was edited too.
    BothEdited(PathBuf),
}

#[derive(Debug, Clone, Copy)]
pub struct Earlier<'a> {
    pub home: &'a Path,
    pub steps: &'a [PrepareStep],
}

/// Carries settings over that were edited since they were copied from a sample, where that sample is the same.
/// `is_edited` says whether that is so of a file of the version in use, `may_replace` whether the content of a file of this
/// version may go.
pub fn carry(
    preparing: &mut Preparing<'_>,
    earlier: Earlier<'_>,
    steps: &[PrepareStep],
    is_edited: &dyn Fn(&Path, &[u8]) -> bool,
    may_replace: &dyn Fn(&Path, &[u8]) -> bool,
) -> Result<Vec<Carried>, PrepareError> {
    let mut carried = Vec::new();
    for step in steps.iter().filter(|step| earlier.steps.contains(step)) {
        let Ok(Step::Copy { from, to }) = step.step() else { continue };
        let Some(settings) = read(earlier.home, to)?.filter(|settings| is_edited(to, settings)) else { continue };
        let sample = read(earlier.home, from)?;
        if sample.is_none() || preparing.now(from)? != sample.as_ref() {
            carried.push(Carried::NewSample(to.to_owned()));
        } else if preparing.now(to)?.is_some_and(|now| *now != settings && !may_replace(to, now)) {
            carried.push(Carried::BothEdited(to.to_owned()));
        } else {
            preparing.carry(to, settings, from);
            carried.push(Carried::Taken(to.to_owned()));
        }
    }
    Ok(carried)
}

/// The steps of the version in use that a new one takes on where nothing is said: settings copied from a sample that is
/// there unchanged, and what is done to them.
pub fn inherited(earlier: Earlier<'_>, folder: &Path) -> Result<Vec<PrepareStep>, PrepareError> {
    let mut steps = Vec::new();
    let mut files: Vec<&Path> = Vec::new();
    for step in earlier.steps {
        let is_taken = match step.step() {
            Ok(Step::Copy { from, to }) => {
                let sample = read(earlier.home, from)?;
                let is_same = sample.is_some() && read(folder, from)? == sample;
                files.extend(is_same.then_some(to));
                is_same
            }
            Ok(Step::Settings { file, .. }) => files.contains(&file),
            _ => false,
        };
        if is_taken {
            steps.push(step.clone());
        }
    }
    Ok(steps)
}
