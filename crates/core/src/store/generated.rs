//! The files that startup files read: generated from the cards, one for each dialect.

use std::path::{Path, PathBuf};

use super::completions;
use super::user_entries;
use crate::shells::Dialect;
use crate::yard::{OwnEntry, Position, Registered};

const NOTE: &str = "# Made by Wagon Yard from the cards of the registered tools; edits are lost at the next change.\n";

pub(super) fn file_name(dialect: Dialect) -> &'static str {
    match dialect {
        Dialect::Posix => "path.sh",
        Dialect::Fish => "path.fish",
        Dialect::Csh => "path.csh",
    }
}

/// The one line of shell code in a startup file: it reads the generated file if that exists, and succeeds if not.
pub(super) fn reading_line(dialect: Dialect, generated: &Path) -> Vec<u8> {
    let file = &dialect.quote(generated.as_os_str().as_encoded_bytes())[..];
    match dialect {
        Dialect::Posix => [b"if [ -r ", file, b" ]; then . ", file, b"; fi"].concat(),
        Dialect::Fish => [b"if test -r ", file, b"; source ", file, b"; end"].concat(),
        Dialect::Csh => [b"if ( -r ", file, b" ) source ", file].concat(),
    }
}

/// The content of a generated file. `tools` come in the order in which they stand in PATH, and before the user's `own`.
///
/// Each command folder is taken out of PATH wherever it stands and put first, so that reading the file twice, or in a
/// terminal that inherited an older PATH, gives the same as reading it once in a fresh one. Empty entries of PATH stay.
pub(super) fn content(dialect: Dialect, tools: &[Registered], own: &[OwnEntry]) -> Vec<u8> {
    let mut text = NOTE.as_bytes().to_vec();
    for tool in tools {
        for variable in &tool.home_variables {
            let (set, is) = match dialect {
                Dialect::Posix => ("export", "="),
                Dialect::Fish => ("set -gx", " "),
                Dialect::Csh => ("setenv", " "),
            };
            text.extend(format!("{set} {variable}{is}").into_bytes());
            text.extend(dialect.quote(tool.home.as_os_str().as_encoded_bytes()));
            text.push(b'\n');
        }
    }
    let first = own.iter().filter(|entry| entry.place == Position::First).map(|entry| &entry.folder);
    let folders = tools.iter().flat_map(|t| &t.command_folders).chain(first);
    let mut folders: Vec<&PathBuf> = folders.collect();
    if dialect == Dialect::Fish {
        // The one put in last ends up first.
        folders.reverse();
    }
    let words = folders.into_iter().map(|folder| dialect.quote(folder.as_os_str().as_encoded_bytes()));
    let words: Vec<Vec<u8>> = words.collect();
    let (head, body, between) = match dialect {
        Dialect::Posix => ("_wyard_first=", POSIX_LOOP, ":"),
        Dialect::Fish => ("for _wyard_folder in ", FISH_LOOP, " "),
        Dialect::Csh => (CSH_HEAD, CSH_LOOP, " "),
    };
    if !words.is_empty() {
        let body = body.replace("COUNT", &words.len().to_string());
        text.extend([head.as_bytes(), &words.join(between.as_bytes()), body.as_bytes()].concat());
    }
    text.extend(user_entries::lines(dialect, own));
    text.extend(completions::lines(dialect, tools));
    text
}

/// PATH is gone through once, or the rest of one that begins as it should, entry by entry (matching all of it against each of
/// many folders takes seconds in zsh, and taking so long a beginning away by a pattern does in bash; both can cut it off), and set
/// once, so that what changed it can be told.
const POSIX_LOOP: &str = r#"
_wyard_rest="${PATH:+$PATH:}"
case "$_wyard_rest" in
  "$_wyard_first:"*)
    if [ "${BASH_VERSION-}${ZSH_VERSION-}" ]; then
      eval '_wyard_rest="${_wyard_rest:${#_wyard_first}+1}"'
    else
      _wyard_left=COUNT
      while [ "$_wyard_left" -gt 0 ]; do
        _wyard_rest="${_wyard_rest#*:}"
        _wyard_left=$((_wyard_left - 1))
      done
      unset _wyard_left
    fi ;;
esac
_wyard_path="$_wyard_first"
while case "$_wyard_rest" in ?*) :;; *) false;; esac; do
  _wyard_entry="${_wyard_rest%%:*}"
  _wyard_rest="${_wyard_rest#*:}"
  case ":$_wyard_first:" in
    *":$_wyard_entry:"*) ;;
    *) _wyard_path="$_wyard_path:$_wyard_entry" ;;
  esac
done
PATH="$_wyard_path"
export PATH
unset _wyard_first _wyard_rest _wyard_entry _wyard_path
"#;

const FISH_LOOP: &str = "
    while set -l _wyard_index (contains -i -- $_wyard_folder $PATH)
        set -e PATH[$_wyard_index]
    end
    set -gx PATH $_wyard_folder $PATH
end
set -e _wyard_folder
";

const CSH_HEAD: &str = "if ( ! $?PATH ) set path = ( )
set _wyard_first = ( ";

/// Loops are slow in tcsh: of a PATH that begins as it should only the rest is gone through.
const CSH_LOOP: &str = " )
set _wyard_rest = ( $path:q )
set _wyard_kept = ( )
set _wyard_at = 0
if ( $#_wyard_rest >= $#_wyard_first ) then
  foreach _wyard_folder ( $_wyard_first:q )
    @ _wyard_at ++
    if ( $_wyard_folder:q != $_wyard_rest[$_wyard_at]:q ) then
      set _wyard_at = 0
      break
    endif
  end
endif
@ _wyard_at ++
if ( $_wyard_at > $#_wyard_rest ) then
  set _wyard_rest = ( )
else
  set _wyard_rest = ( $_wyard_rest[$_wyard_at-]:q )
endif
foreach _wyard_entry ( $_wyard_rest:q )
  set _wyard_at = 0
  foreach _wyard_folder ( $_wyard_first:q )
    if ( $_wyard_entry:q == $_wyard_folder:q ) set _wyard_at = 1
  end
  if ( ! $_wyard_at ) set _wyard_kept = ( $_wyard_kept:q $_wyard_entry:q )
end
set path = ( $_wyard_first:q $_wyard_kept:q )
unset _wyard_folder _wyard_entry _wyard_first _wyard_rest _wyard_kept _wyard_at
";

#[cfg(test)]
mod tests {
    use std::process::Command;

    use proptest::prelude::*;

    use super::*;

    /// PATH after a shell has read the generated file, or `None` where the shell is not installed.
    fn read_by(shell: &str, dialect: Dialect, folders: &[String], own: &[OwnEntry], path: &str) -> Option<String> {
        let tool = Registered {
            home: PathBuf::from("/home of/it's"),
            home_variables: vec!["GAUGE_HOME".to_owned()],
            command_folders: folders.iter().map(PathBuf::from).collect(),
            completions: Vec::new(),
        };
        let file = tempfile::NamedTempFile::new().ok()?;
        std::fs::write(file.path(), content(dialect, &[tool], own)).ok()?;
        let show = match dialect {
            Dialect::Posix => "set -u; . \"$F\"; set +u; printf '%s|%s' \"$GAUGE_HOME\" \"$PATH\"",
            Dialect::Fish => "source $F; printf '%s|%s' $GAUGE_HOME (string join : -- $PATH)",
            Dialect::Csh => "source $F:q; /usr/bin/printf '%s|%s' $GAUGE_HOME:q $PATH:q",
        };
        let mut command = Command::new(format!("/bin/{shell}"));
        command.args((shell == "tcsh").then_some("-f")).args(["-c", show]);
        command.env_clear().env("LANG", "C.UTF-8").env("HOME", "/");
        command.env("F", file.path()).env("PATH", path);
        let output = command.output();
        assert!(output.is_ok() || std::env::var_os("CI").is_none(), "{shell} is missing, and CI may skip nothing");
        let output = output.ok()?;
        Some(String::from_utf8_lossy(&output.stdout).into_owned())
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

        #[test]
        #[cfg_attr(windows, ignore = "the shells are those of Unix")]
        fn every_shell_puts_our_folders_first_and_keeps_the_rest(
            names in proptest::collection::hash_set("/[a-c '\"$`;%*?!\\[\\\\#~ä-]{1,6}", 1..3),
            others in proptest::collection::vec("(|/usr/bin|/[a-c *]{1,3})", 1..5),
            at in 0usize..4,
            moved in 0usize..5,
            to in 0usize..5,
            last in any::<bool>(),
        ) {
            let folders: Vec<String> = names.into_iter().collect();
            // The folders are also further back, more than once.
            let mut before = others.clone();
            before.insert(at.min(before.len()), folders[0].clone());
            before.push(folders[folders.len() - 1].clone());
            let kept = before.iter().filter(|entry| !folders.contains(entry)).cloned();
            let mut expected: Vec<String> = folders.iter().cloned().chain(kept).collect();
            let pick = |at: usize| Some(PathBuf::from(expected.get(at % expected.len())?)).filter(|f| f.is_absolute());
            let mut own = vec![OwnEntry { folder: "/own".into(), place: if last { Position::Last } else { Position::First } }];
            if let (Some(folder), Some(other)) = (pick(moved), pick(to)) && folder != other {
                own.push(OwnEntry { folder, place: Position::Before(other) });
            }
            // One that goes first stands behind those of tools.
            if last { expected.push("/own".to_owned()) } else { expected.insert(folders.len(), "/own".to_owned()) }
            for one in &own[1..] {
                let text = |path: &PathBuf| path.to_str().unwrap().to_owned();
                expected = one.applied(&expected, |entry, path| *entry == text(path), text);
            }
            let before = before.join(":");
            // In a terminal out of a terminal all is there already.
            let twice = [&before, &expected.join(":")];
            for (shell, before) in ["dash", "bash", "zsh", "ksh"].iter().flat_map(|shell| twice.map(|before| (*shell, before))) {
                if let Some(seen) = read_by(shell, Dialect::Posix, &folders, &own, before) {
                    prop_assert_eq!(seen, format!("/home of/it's|{}", expected.join(":")), "{} {}", shell, before);
                }
            }
            // fish turns an empty entry into a dot when it starts.
            let dotted: Vec<&str> = expected.iter().map(|e| if e.is_empty() { "." } else { e.as_str() }).collect();
            if let Some(seen) = read_by("fish", Dialect::Fish, &folders, &own, &before) {
                prop_assert_eq!(seen, format!("/home of/it's|{}", dotted.join(":")), "fish {}", before);
            }
            for before in twice {
                if let Some(seen) = read_by("tcsh", Dialect::Csh, &folders, &own, before) {
                    prop_assert_eq!(seen, format!("/home of/it's|{}", dotted.join(":")), "tcsh {}", before);
                }
            }
        }
    }
}
