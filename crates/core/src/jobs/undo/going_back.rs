//! What takes a change back. The records come first; files for shells follow from them, values of the registry are taken
//! back one by one.

use std::path::Path;

use super::error::UndoError;
use crate::change::{
    Changeset, Content, LedgerContents, Operation, Role, block_taken, list_back, table_back, values_back,
};
use crate::error::FileContext as _;
use crate::registration::Registrar;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::system::System;
use crate::whole_file;
use crate::yard::{Card, OwnEntry, Stock, YardError};

pub(super) struct GoingBack<'a> {
    pub session: &'a Session,
    /// All that the ledger tells.
    pub contents: &'a LedgerContents,
    pub id: u64,
    pub operations: Vec<Operation>,
}

impl GoingBack<'_> {
    pub fn changeset(&self) -> Result<Changeset, JobError> {
        let yard = &self.session.yard;
        let mut changeset = Changeset::default();
        let mut stock = self.session.cards()?;
        let mut own = yard.own_entries()?;
        for operation in self.operations.iter().rev() {
            match operation {
                Operation::File { path, role: Role::Card, before, after } => {
                    stock = self.card(&mut changeset, stock, path, before.as_ref(), after.as_ref())?;
                }
                Operation::File { path, role: Role::OwnEntries, before, after } => {
                    let (was, became) = (self.entries(path, before)?, self.entries(path, after)?);
                    own = list_back(&own, &was, &became).map_err(|_| self.later(path))?;
                    yard.put_own_entries(&mut changeset, own.clone())?;
                }
                Operation::File {
                    path,
                    role: role @ (Role::Restored | Role::Prepared | Role::Launcher),
                    before,
                    after,
                } => {
                    if whole_file::read(path).ok() != after.as_ref().map(Content::bytes) {
                        return Err(self.later(path).into());
                    }
                    changeset.file(path, *role, before.as_ref().map(Content::bytes))?;
                }
                Operation::Move { from, to } => self.shift(&mut changeset, from, to)?,
                Operation::File { .. }
                | Operation::Startup { .. }
                | Operation::Value { .. }
                | Operation::Folder { .. } => {}
            }
        }
        let touches_stores = self.operations.iter().any(|operation| {
            matches!(
                operation,
                Operation::Startup { .. } | Operation::Value { .. } | Operation::File { role: Role::Generated, .. }
            )
        });
        if touches_stores {
            match self.session.system() {
                System::Unix => self.startup(&mut changeset, &stock, &own)?,
                System::Windows => self.values(&mut changeset, &stock)?,
            }
        }
        Ok(changeset)
    }

    fn later(&self, file: &Path) -> UndoError {
        let id = self.id;
        UndoError::Later { id, file: file.to_owned(), later: self.contents.later(id, file) }
    }

    /// A card goes back key by key; gives the stock as it is with it.
    fn card(
        &self,
        changeset: &mut Changeset,
        mut stock: Stock,
        path: &Path,
        before: Option<&Content>,
        after: Option<&Content>,
    ) -> Result<Stock, JobError> {
        let table = |content: Option<&Content>| -> Result<Option<toml::Table>, JobError> {
            let text = content.map(|content| String::from_utf8_lossy(&content.bytes()).into_owned());
            Ok(text.map(|text| toml::from_str(&text)).transpose().map_err(|_| self.later(path))?)
        };
        let now = match whole_file::read(path) {
            Ok(bytes) => Some(Content::from(bytes)),
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => None,
            Err(e) => return Err(e).at("read", path).map_err(Into::into),
        };
        let mut now = table(now.as_ref())?;
        // What was learned of how commands answer stood on cards once, outside of the ledger.
        now.as_mut().and_then(|now| now.remove("answers"));
        let back = table_back(table(before)?, table(after)?, now).map_err(|_| self.later(path))?;
        let yard = &self.session.yard;
        let of_file: Vec<_> = stock.iter().filter(|card| yard.card_file(&card.name, &card.version) == path).collect();
        for (name, version) in
            of_file.into_iter().map(|card| (card.name.clone(), card.version.clone())).collect::<Vec<_>>()
        {
            stock.take_out(&name, &version);
        }
        let Some(table) = back else {
            changeset.file(path, Role::Card, None)?;
            return Ok(stock);
        };
        let card: Card = table.try_into().map_err(|_| self.later(path))?;
        yard.put_card(changeset, &card)?;
        Ok(stock.with(vec![card]))
    }

    fn entries(&self, path: &Path, content: &Option<Content>) -> Result<Vec<OwnEntry>, JobError> {
        #[derive(serde::Deserialize)]
        struct Kept {
            entry: Vec<OwnEntry>,
        }
        let Some(content) = content else { return Ok(Vec::new()) };
        let text = String::from_utf8_lossy(&content.bytes()).into_owned();
        Ok(toml::from_str(&text).map(|kept: Kept| kept.entry).map_err(|_| self.later(path))?)
    }

    /// A folder goes back. What came from staging goes where tools go that leave the stock, so that it can come again.
    fn shift(&self, changeset: &mut Changeset, from: &Path, to: &Path) -> Result<(), JobError> {
        if !to.exists() {
            return Err(UndoError::Gone { id: self.id, folder: to.to_owned() }.into());
        }
        let yard = &self.session.yard;
        if !from.starts_with(yard.staging()) {
            changeset.shift(to, from);
            return Ok(());
        }
        let parts: Vec<_> = to.iter().map(|part| part.to_string_lossy()).collect();
        let name = match &parts[..] {
            [.., name, version] => format!("{name}@{version}.{}", self.contents.next_id()),
            _ => format!("folder.{}", self.contents.next_id()),
        };
        changeset.shift(to, &yard.retired().join(name));
        Ok(())
    }

    /// Startup files and what they read, as the cards will have it. A startup file that is as the change has left it goes
    /// back to the very bytes.
    fn startup(&self, changeset: &mut Changeset, stock: &Stock, own: &[OwnEntry]) -> Result<(), JobError> {
        let registrar = Registrar { yard: &self.session.yard, stock, asking: self.session.asking()? };
        let mut plan = registrar.plan_startup_files(own)?;
        for change in &mut plan.changes {
            for operation in &self.operations {
                let Operation::Startup { path, before: Some(before), after: Some(after), line } = operation else {
                    continue;
                };
                let (before, after, line) = (before.bytes(), after.bytes(), line.bytes());
                let has = |bytes: &[u8]| block_taken(Some(bytes), &line).as_deref() != Some(bytes);
                let as_left = change.path == **path && change.is(&after);
                if as_left && change.after.as_deref().is_some_and(|planned| has(planned) == has(&before)) {
                    change.after = Some(before);
                }
            }
        }
        changeset
            .extend(plan.changeset(&self.session.yard.startup_before()).map_err(crate::store::StorePlanError::from)?);
        Ok(())
    }

    /// Values of the registry: one that is as the change has left it goes back; of `Path` our part is taken out.
    fn values(&self, changeset: &mut Changeset, stock: &Stock) -> Result<(), JobError> {
        let yard = &self.session.yard;
        let mut before = Vec::new();
        for scope in Scope::ALL {
            let used = stock.iter().any(|card| card.registration.as_ref().is_some_and(|r| r.scope == scope));
            before.push((scope, yard.path_before(scope)?.filter(|_| !used)));
        }
        let last = |scope| before.iter().find(|(of, _)| *of == scope).and_then(|(_, before)| *before);
        changeset.extend(values_back(&self.operations, &self.session.machine.registry(), last)?);
        // What `Path` was is known again where the change had it forgotten.
        let used = stock.iter().any(|card| card.registration.is_some());
        for operation in self.operations.iter().filter(|_| used) {
            if let Operation::File { path, role: Role::PathBefore, before: Some(before), after: None } = operation
                && !path.exists()
            {
                return Ok(changeset.file(path, Role::PathBefore, Some(before.bytes()))?);
            }
        }
        yard.put_path_before(changeset, &[], stock).map_err(YardError::into)
    }
}
