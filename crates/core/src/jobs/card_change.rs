//! Changing what a card says, and nothing else.

use crate::change::{Change, Changeset};
use crate::session::{JobError, Session};
use crate::yard::Card;

/// Changes what the card of `NAME` or `NAME@VERSION` says, and gives it as it is then, or would be.
pub(super) fn change_card(
    session: &Session,
    wanted: &str,
    does: &str,
    dry_run: bool,
    edit: impl FnOnce(&mut Card),
) -> Result<Card, JobError> {
    // Looked for before the lock, so that a wrong name makes no yard.
    session.stock()?.find(wanted)?;
    let lock = session.lock_unless(dry_run)?;
    let mut card = session.stock()?.find(wanted)?.clone();
    edit(&mut card);
    let mut changeset = Changeset::default();
    session.yard.put_card(&mut changeset, &card)?;
    let does = format!("{does} {} {}", card.name, card.version);
    if let Some(lock) = lock {
        lock.carry_out(Change { does, undoes: None, changeset })?;
    }
    Ok(card)
}
