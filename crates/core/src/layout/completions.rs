//! The completions that a tool brings for its commands, where shells look for those of packages.

use std::path::{Path, PathBuf};

use crate::archive::{EntryKind, Listing};

/// A shell that completes commands by a file for each.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CompletionShell {
    Bash,
    Zsh,
    Fish,
}

impl CompletionShell {
    const ALL: [Self; 3] = [Self::Bash, Self::Zsh, Self::Fish];

    /// The folder below a prefix in which packages put them ("bash-completion", README; zsh's `site-functions`, zshcompsys(1);
    /// `vendor_completions.d`, fish-completions(1)).
    fn folder(self) -> &'static str {
        match self {
            Self::Bash => "share/bash-completion/completions",
            Self::Zsh => "share/zsh/site-functions",
            Self::Fish => "share/fish/vendor_completions.d",
        }
    }

    fn file_name(self, command: &str) -> String {
        match self {
            Self::Bash => command.to_owned(),
            Self::Zsh => format!("_{command}"),
            Self::Fish => format!("{command}.fish"),
        }
    }
}

/// The shell, and the command, that a file completes for; `None` where it is none of those. A name with anything but letters,
/// digits and `.`, `_`, `+`, `-` in it has none: shells would read more into it.
pub fn completes<'c>(file: &Path, mut commands: impl Iterator<Item = &'c str>) -> Option<(CompletionShell, &'c str)> {
    let shell = CompletionShell::ALL.into_iter().find(|shell| file.parent() == Some(Path::new(shell.folder())))?;
    let name = file.file_name()?.to_str()?;
    let is_plain = |name: &str| name.bytes().all(|b| b.is_ascii_alphanumeric() || b"._+-".contains(&b));
    let command = commands.find(|command| is_plain(command) && shell.file_name(command) == name)?;
    Some((shell, command))
}

/// The files that complete a tool's own commands, relative to its home.
pub(super) fn completions(listing: &Listing, wrapper: &Path, commands: &[&str]) -> Vec<PathBuf> {
    let files = listing.entries.iter().filter(|entry| !matches!(entry.kind, EntryKind::Folder));
    let below = files.filter_map(|entry| entry.path.below(wrapper));
    let mut found: Vec<PathBuf> =
        below.filter(|file| completes(file, commands.iter().copied()).is_some()).map(Path::to_owned).collect();
    found.sort();
    found
}
