//! What the lookup rules say of one name in each terminal, worked out once for terminals that look alike.

use std::cell::RefCell;
use std::rc::Rc;

use crate::resolve::{self, Caller, Candidate, ListedDisk};
use crate::terminal::Answer;

/// The candidates of one name in the terminals of these answers.
pub(super) struct Predicted<'a> {
    name: &'a str,
    answers: &'a [Answer],
    disk: &'a ListedDisk,
    known: RefCell<Vec<Known<'a>>>,
}

/// A terminal, and what it would find.
type Known<'a> = (&'a Answer, Rc<[Candidate]>);

impl<'a> Predicted<'a> {
    pub fn new(name: &'a str, answers: &'a [Answer], disk: &'a ListedDisk) -> Self {
        Self { name, answers, disk, known: RefCell::default() }
    }

    /// Those of the answer at this place; none where it did not say by what it looks commands up.
    pub fn candidates(&self, at: usize) -> Rc<[Candidate]> {
        let answer = &self.answers[at];
        let Ok(said) = &answer.said else { return Rc::new([]) };
        let mut known = self.known.borrow_mut();
        let is_alike = |other: &Answer| {
            other.shell == answer.shell && other.said.as_ref().is_ok_and(|other| other.context == said.context)
        };
        if let Some((_, candidates)) = known.iter().find(|(other, _)| is_alike(other)) {
            return Rc::clone(candidates);
        }
        let candidates = resolve::candidates(Caller::from(answer.shell), self.name, &said.context, self.disk);
        let candidates = Rc::from(candidates);
        known.push((answer, Rc::clone(&candidates)));
        candidates
    }
}
