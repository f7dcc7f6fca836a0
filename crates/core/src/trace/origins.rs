//! What put the entries of PATH there.

use std::cell::OnceCell;
use std::ffi::OsString;

use super::report::CallerTrace;
use crate::resolve::Shell;
use crate::shells::StartupFolders;
use crate::system::System;
use crate::terminal::{Answer, Asking, Origin, ShellReply, registry_origins};

/// What put the entries of PATH there, found out once for each shell and PATH.
pub(super) struct Origins<'a> {
    asking: &'a Asking<'a>,
    folders: OnceCell<StartupFolders>,
    known: Vec<(Shell, OsString, Vec<Option<Origin>>)>,
}

impl<'a> Origins<'a> {
    pub fn new(asking: &'a Asking<'a>) -> Self {
        Self { asking, folders: OnceCell::new(), known: Vec::new() }
    }

    pub fn put_in(&mut self, traced: &mut CallerTrace, answer: &Answer, said: &ShellReply) {
        if traced.candidates.is_empty() {
            return;
        }
        let value = &said.context.path;
        let at = self.known.iter().position(|(shell, known, _)| (*shell, known) == (answer.shell, value));
        let at = at.unwrap_or_else(|| {
            if self.asking.machine.system() == System::Windows {
                let origins = registry_origins(self.asking.machine, &value.to_string_lossy());
                self.known.push((answer.shell, value.clone(), origins));
                return self.known.len() - 1;
            }
            let shell = self.asking.shells.iter().find(|shell| shell.shell == answer.shell);
            let origins =
                shell.map(|shell| self.asking.origins(shell, (answer.mode, &answer.base), value, &self.folders));
            self.known.push((answer.shell, value.clone(), origins.unwrap_or_default()));
            self.known.len() - 1
        });
        let origins = &self.known[at].2;
        for candidate in &mut traced.candidates {
            candidate.origin = candidate.entry_index.and_then(|index| origins.get(index)?.clone());
        }
    }
}
