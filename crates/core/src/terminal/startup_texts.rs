//! What the startup files of the user hold.

use std::path::{Path, PathBuf};

use crate::environment::Environment;
use crate::shells::StartupFolders;
use crate::store::{files_of_others, possible_files};
use crate::whole_file;

#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct StartupText {
    pub file: PathBuf,
    pub text: String,
}

/// The startup files of this home that shells may read which begin with these variables.
pub(super) fn startup_texts(home: &Path, base: &Environment) -> Vec<StartupText> {
    let set = |name: &str, usual| base.get(name).map_or(usual, PathBuf::from);
    let folders = StartupFolders {
        home: home.to_owned(),
        zsh: vec![set("ZDOTDIR", home.to_owned())],
        fish: vec![set("XDG_CONFIG_HOME", home.join(".config")).join("fish")],
        sh_env: base.get("ENV").map(PathBuf::from),
        system: None,
    };
    let mut files = files_of_others(&folders);
    files.extend(possible_files(&folders).into_iter().map(|file| file.path));
    let text = |file: PathBuf| {
        let text = String::from_utf8_lossy(&whole_file::read(&file).ok()?).into_owned();
        Some(StartupText { file, text })
    };
    files.into_iter().filter_map(text).collect()
}
