//! What the lookup rules say of one name in each terminal, worked out once for terminals that look alike.

use std::cell::RefCell;
use std::sync::Arc;

use crate::resolve::{self, Caller, Candidate, ListedDisk, LookupContext, Shell};
use crate::terminal::ShellReply;

pub(super) struct Predicted<'a> {
    name: &'a str,
    disk: &'a ListedDisk,
    known: RefCell<Vec<Known<'a>>>,
}

/// A terminal's shell and PATH, and what it would find.
type Known<'a> = (Shell, &'a LookupContext, Arc<[Candidate]>);

impl<'a> Predicted<'a> {
    pub fn new(name: &'a str, disk: &'a ListedDisk) -> Self {
        Self { name, disk, known: RefCell::default() }
    }

    pub fn candidates(&self, shell: Shell, said: &'a ShellReply) -> Arc<[Candidate]> {
        let mut known = self.known.borrow_mut();
        if let Some((.., candidates)) = known.iter().find(|(of, context, _)| *of == shell && **context == said.context)
        {
            return Arc::clone(candidates);
        }
        let candidates = Arc::from(resolve::candidates(Caller::from(shell), self.name, &said.context, self.disk));
        known.push((shell, &said.context, Arc::clone(&candidates)));
        candidates
    }
}
