//! One asking of all new terminals, and what is run in the environments they hand on.

use std::collections::HashSet;
use std::path::Path;
use std::thread;

use super::command::Subject;
use super::error::CheckError;
use super::evidence::{Advice, CommandEvidence};
use super::prober::Prober;
use super::report::CommandCheck;
use crate::error::FileContext as _;
use crate::process;
use crate::resolve::ListedDisk;
use crate::session::{JobError, Session};
use crate::start_policy::Purpose;
use crate::terminal::{Answer, Question};
use crate::yard::Card;

/// One asking of all new terminals.
pub(super) struct TerminalPass<'a> {
    pub answers: Vec<Answer>,
    pub runs: bool,
    pub prober: Prober<'a>,
    session: &'a Session,
    disk: ListedDisk,
}

impl<'a> TerminalPass<'a> {
    pub fn new(session: &'a Session, question: Question<'_>, runs: bool) -> Result<Self, JobError> {
        let prober = Prober::of(session, Purpose::Proof)?;
        let answers = match question.commands.is_empty() {
            true => Vec::new(),
            false => session.asking()?.everywhere(question),
        };
        Ok(Self { answers, runs, prober, session, disk: ListedDisk::new(session.system()) })
    }

    pub fn required(&self, card: &Card) -> Result<Vec<Subject>, JobError> {
        match card.requires.commands.is_empty() {
            true => Ok(Vec::new()),
            false => Ok(Subject::required(card, &self.session.yard, &self.session.stock()?)),
        }
    }

    /// For each answer the names that were typed, and that started the right file in the end.
    fn leading(&self, subjects: &[Subject]) -> Result<Vec<HashSet<String>>, JobError> {
        let hidden = |answer: &Answer| -> Vec<(&str, &Path)> {
            let Ok(said) = &answer.said else { return Vec::new() };
            let of_shell = subjects.iter().filter(|subject| subject.is_to_be_typed(said));
            of_shell.filter_map(|subject| Some((subject.name.as_str(), subject.file.as_deref()?))).collect()
        };
        let hidden: Vec<_> = self.answers.iter().map(|answer| (answer, hidden(answer))).collect();
        if hidden.iter().all(|(_, names)| names.is_empty()) {
            return Ok(vec![HashSet::new(); hidden.len()]);
        }
        let asking = self.session.asking()?;
        Ok(process::side_by_side(&hidden, 6, |(answer, names)| asking.leading_to(answer, names)))
    }

    /// Looks at commands, in their order.
    pub fn look<'s>(
        &'s self,
        subjects: &'s [Subject],
        advice: &'s Advice,
    ) -> Result<Vec<CommandEvidence<'s>>, JobError> {
        // Most of a probe's time is the start of a process, which waits as much as it works.
        let at_a_time = thread::available_parallelism().map_or(2, usize::from) * 2;
        let prober = self.runs.then_some(&self.prober);
        let leading = self.leading(subjects)?;
        let looked = process::side_by_side(subjects, at_a_time, |subject| {
            let leads = |at: usize| leading[at].contains(&subject.name);
            subject.look(&self.answers, &leads, prober, &self.disk, advice)
        });
        if self.session.stop.requested() {
            return Err(CheckError::Interrupted.into());
        }
        let looked = looked.into_iter().collect::<std::io::Result<Vec<_>>>();
        Ok(looked.at("run commands in", &std::env::temp_dir())?)
    }

    /// Looks at commands and judges each.
    pub fn commands(&self, subjects: &[Subject]) -> Result<Vec<CommandCheck>, JobError> {
        let advice = Advice::default();
        Ok(self.look(subjects, &advice)?.iter().map(CommandEvidence::check).collect())
    }
}
