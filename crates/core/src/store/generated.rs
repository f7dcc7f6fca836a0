//! The files that startup files read: generated from the cards, one for each dialect.

use std::path::{Path, PathBuf};

use super::quote;
use super::startup::Dialect;

/// A tool as the stores know it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Registered {
    /// Its home folder.
    pub home: PathBuf,
    /// The variables that point to it.
    pub home_variables: Vec<String>,
    /// Its command folders, absolute, in the order they have in PATH.
    pub command_folders: Vec<PathBuf>,
}

const NOTE: &str = "# Made by Wagon Yard from the cards of the registered tools; edits are lost at the next change.\n";

/// The name of the generated file of a dialect.
pub(super) fn file_name(dialect: Dialect) -> &'static str {
    match dialect {
        Dialect::Posix => "path.sh",
        Dialect::Fish => "path.fish",
    }
}

/// The one line of shell code in a startup file: it reads the generated file if that exists, and succeeds if not.
pub(super) fn reading_line(dialect: Dialect, generated: &Path) -> Vec<u8> {
    let bytes = generated.as_os_str().as_encoded_bytes();
    match dialect {
        Dialect::Posix => {
            let file = quote::posix(bytes);
            [b"if [ -r ", &file[..], b" ]; then . ", &file, b"; fi"].concat()
        }
        Dialect::Fish => {
            let file = quote::fish(bytes);
            [b"if test -r ", &file[..], b"; source ", &file, b"; end"].concat()
        }
    }
}

/// The content of a generated file. `tools` come in the order in which they stand in PATH.
///
/// Each command folder is taken out of PATH wherever it stands and put first, so that reading the file twice, or in a
/// terminal that inherited an older PATH, gives the same as reading it once in a fresh one. Empty entries of PATH stay.
pub(super) fn content(dialect: Dialect, tools: &[Registered]) -> Vec<u8> {
    let mut text = NOTE.as_bytes().to_vec();
    for tool in tools {
        for variable in &tool.home_variables {
            let home = tool.home.as_os_str().as_encoded_bytes();
            text.extend(match dialect {
                Dialect::Posix => [b"export ", variable.as_bytes(), b"=", &quote::posix(home)].concat(),
                Dialect::Fish => [b"set -gx ", variable.as_bytes(), b" ", &quote::fish(home)].concat(),
            });
            text.push(b'\n');
        }
    }
    let folders = tools.iter().flat_map(|t| &t.command_folders);
    // The one put in last ends up first.
    let reversed: Vec<&PathBuf> = folders.collect::<Vec<_>>().into_iter().rev().collect();
    let words: Vec<Vec<u8>> = reversed
        .into_iter()
        .map(|f| f.as_os_str().as_encoded_bytes())
        .map(|f| if dialect == Dialect::Fish { quote::fish(f) } else { quote::posix(f) })
        .collect();
    let words = words.join(&b' ');
    text.extend_from_slice(b"for _wyard_folder in ");
    text.extend_from_slice(&words);
    text.extend_from_slice(
        match dialect {
            Dialect::Posix => POSIX_LOOP,
            Dialect::Fish => FISH_LOOP,
        }
        .as_bytes(),
    );
    text
}

const POSIX_LOOP: &str = r#"; do
  _wyard_path=":${PATH:+$PATH:}"
  while :; do
    case "$_wyard_path" in
      *:"$_wyard_folder":*) _wyard_path="${_wyard_path%%:"$_wyard_folder":*}:${_wyard_path#*:"$_wyard_folder":}" ;;
      *) break ;;
    esac
  done
  case "$_wyard_path" in
    :) PATH="$_wyard_folder" ;;
    *) _wyard_path="${_wyard_path#:}"; PATH="$_wyard_folder:${_wyard_path%:}" ;;
  esac
done
export PATH
unset _wyard_folder _wyard_path
"#;

const FISH_LOOP: &str = "
    while set -l _wyard_index (contains -i -- $_wyard_folder $PATH)
        set -e PATH[$_wyard_index]
    end
    set -gx PATH $_wyard_folder $PATH
end
set -e _wyard_folder
";
