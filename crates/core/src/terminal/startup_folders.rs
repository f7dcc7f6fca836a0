//! The folders in which a user's shells look for startup files.

use std::path::PathBuf;
use std::sync::PoisonError;

use super::answer::Question;
use super::asking::Asking;
use super::base::base_environments;
use crate::environment::Environment;
use crate::resolve::Shell;
use crate::shells::{StartMode, StartupFolders};

impl Asking<'_> {
    /// The folders in which this user's shells look for startup files, as the shells themselves say: `ZDOTDIR` is most
    /// often set in a startup file, and so is `ENV`.
    pub fn startup_folders(&self) -> StartupFolders {
        let Some(known) = self.startup else { return self.ask_startup_folders() };
        let mut known = known.lock().unwrap_or_else(PoisonError::into_inner);
        known.get_or_insert_with(|| self.ask_startup_folders()).clone()
    }

    fn ask_startup_folders(&self) -> StartupFolders {
        let mut folders = StartupFolders { home: self.machine.home.clone(), ..StartupFolders::default() };
        if self.machine.is_for_everybody() {
            return StartupFolders { system: Some(self.machine.root.clone()), ..folders };
        }
        let push = |list: &mut Vec<PathBuf>, folder: PathBuf| {
            if !list.contains(&folder) {
                list.push(folder);
            }
        };
        for base in base_environments(self.machine) {
            let set = |name: &str| base.folder(name);
            let zsh = self.ask_folder(Shell::Zsh, "ZDOTDIR", &base).or_else(|| set("ZDOTDIR"));
            push(&mut folders.zsh, zsh.unwrap_or_else(|| self.machine.home.clone()));
            let config = set("XDG_CONFIG_HOME").unwrap_or_else(|| self.machine.home.join(".config"));
            push(&mut folders.fish, config.join("fish"));
            folders.sh_env = folders.sh_env.or_else(|| self.ask_folder(Shell::Sh, "ENV", &base));
        }
        folders
    }

    fn ask_folder(&self, shell: Shell, variable: &str, base: &Environment) -> Option<PathBuf> {
        let shell = self.shells.iter().find(|s| s.shell == shell)?;
        let variables = [variable.to_owned()];
        let answer = self.one(shell, StartMode::LoginCommand, base, Question { commands: &[], variables: &variables });
        let said = answer.said.ok()?;
        said.variable(&variables[0]).map(PathBuf::from).filter(|p| p.is_absolute())
    }
}
