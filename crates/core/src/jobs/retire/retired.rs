//! Taking a tool out of the stock: unregistered, its card gone, its folder kept for a while.

use super::removed::{kept_folders, remove, remove_old};
use super::report::RetiredTool;
use crate::change::{Change, Changeset};
use crate::installer::uninstaller;
use crate::report::ReportPath;
use crate::session::{JobError, Session};
use crate::yard::Card;

/// Retires a tool, or the one version of it that is named.
pub fn retire(session: &Session, wanted: &str, dry_run: bool) -> Result<RetiredTool, JobError> {
    let yard = &session.yard;
    // Looked for before the lock, so that a wrong name makes no yard.
    session.stock()?.find(wanted)?;
    let lock = session.lock_unless(dry_run)?;
    let stock = session.cards()?;
    let card = stock.find(wanted)?;
    let tool = format!("{}@{}", card.name, card.version);
    let mut retired = RetiredTool { dry_run, tool: Some(tool.clone()), ..RetiredTool::default() };
    retired.uninstaller = uninstaller(card, session.system());
    let mut changeset = Changeset::default();
    if card.registration.is_some() {
        let others = stock.iter().filter(|other| other.name == card.name && other.version != card.version);
        retired.others = others.map(|other| other.version.to_string()).collect();
        let registrar = session.registrar(&stock)?;
        let plan = registrar.plan(None, Some(card))?;
        retired.stores = plan.changes();
        let taken = Card { registration: None, ..card.clone() };
        changeset = registrar.changeset(&plan, None, Some(&taken))?;
    }
    yard.remove_card(&mut changeset, card)?;
    let (home, id) = (yard.home_of(card), yard.ledger().read()?.next_id());
    if card.folder.is_none() {
        let kept = yard.retired_home(&card.name, &card.version, id);
        changeset.shift(&home, &kept);
        retired.kept = Some(kept.into());
    } else {
        retired.stays = Some(home.into());
    }
    if let Some(lock) = lock {
        retired.id = lock.carry_out(Change { does: format!("retire {tool}"), undoes: None, changeset })?;
        retired.removed = remove_old(yard, &lock)?.into_iter().map(ReportPath::from).collect();
    }
    Ok(retired)
}

pub(super) fn empty_retired(session: &Session, dry_run: bool) -> Result<RetiredTool, JobError> {
    let yard = &session.yard;
    let removed = if dry_run || !yard.retired().is_dir() {
        kept_folders(yard)?
    } else {
        remove(yard, &session.lock()?, |_| true)?
    };
    let removed = removed.into_iter().map(ReportPath::from).collect();
    Ok(RetiredTool { dry_run, removed, ..RetiredTool::default() })
}
