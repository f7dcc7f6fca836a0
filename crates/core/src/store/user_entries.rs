//! Folders that a user had put into PATH, or moved in it, beside those of tools. On Unix the generated files do that.

use std::path::PathBuf;

use crate::shells::Dialect;
use crate::yard::{OwnEntry, Position};

/// Takes `$_wyard_folder` out of `$_wyard_path` wherever it stands; the path has a colon at both ends.
macro_rules! posix_take_out {
    () => {
        r#"while :; do
  case "$_wyard_path" in
    *:"$_wyard_folder":*) _wyard_path="${_wyard_path%%:"$_wyard_folder":*}:${_wyard_path#*:"$_wyard_folder":}" ;;
    *) break ;;
  esac
done
"#
    };
}

/// The lines of a generated file that do it, for all that do not simply go first.
pub(super) fn lines(dialect: Dialect, own: &[OwnEntry]) -> Vec<u8> {
    let mut text = Vec::new();
    for entry in own {
        let anchor = match &entry.place {
            Position::First => continue,
            Position::Last => None,
            Position::Before(other) => Some(other),
        };
        let word = |path: &PathBuf| dialect.quote(path.as_os_str().as_encoded_bytes());
        let (set, last, before) = match dialect {
            Dialect::Posix => ("_wyard_folder=", POSIX_LAST, POSIX_BEFORE),
            Dialect::Fish => ("set -g _wyard_folder ", FISH_LAST, FISH_BEFORE),
            Dialect::Csh => ("set _wyard_folder = ", CSH_LAST, CSH_BEFORE),
        };
        text.extend([set.as_bytes(), &word(&entry.folder), b"\n"].concat());
        if let Some(other) = anchor {
            text.extend([set.replace("folder", "other").as_bytes(), &word(other), b"\n"].concat());
        }
        text.extend_from_slice(if anchor.is_some() { before } else { last }.as_bytes());
    }
    text
}

const POSIX_LAST: &str = concat!(
    r#"_wyard_path=":${PATH:+$PATH:}"
"#,
    posix_take_out!(),
    r#"case "$_wyard_path" in
  :) PATH="$_wyard_folder" ;;
  *) _wyard_path="${_wyard_path#:}"; PATH="$_wyard_path$_wyard_folder" ;;
esac
export PATH
unset _wyard_folder _wyard_path
"#
);

const POSIX_BEFORE: &str = concat!(
    r#"_wyard_path=":$PATH:"
case "$_wyard_path" in *:"$_wyard_folder":*) case "$_wyard_path" in *:"$_wyard_other":*)
"#,
    posix_take_out!(),
    r#"  _wyard_path="${_wyard_path%%:"$_wyard_other":*}:$_wyard_folder:$_wyard_other:${_wyard_path#*:"$_wyard_other":}"
  _wyard_path="${_wyard_path#:}"
  PATH="${_wyard_path%:}" ;;
esac ;; esac
export PATH
unset _wyard_folder _wyard_other _wyard_path
"#
);

const FISH_LAST: &str = "while set -l _wyard_index (contains -i -- $_wyard_folder $PATH)
    set -e PATH[$_wyard_index]
end
set -gx PATH $PATH $_wyard_folder
set -e _wyard_folder
";

const FISH_BEFORE: &str = "if contains -- $_wyard_folder $PATH; and contains -- $_wyard_other $PATH
    while set -l _wyard_index (contains -i -- $_wyard_folder $PATH)
        set -e PATH[$_wyard_index]
    end
    set -l _wyard_path
    for _wyard_entry in $PATH
        if test $_wyard_entry = $_wyard_other; and not contains -- $_wyard_folder $_wyard_path
            set -a _wyard_path $_wyard_folder
        end
        set -a _wyard_path $_wyard_entry
    end
    set -gx PATH $_wyard_path
end
set -e _wyard_folder
set -e _wyard_other
";

const CSH_LAST: &str = "set _wyard_kept = ( )
foreach _wyard_entry ( $path:q )
  if ( $_wyard_entry:q != $_wyard_folder:q ) set _wyard_kept = ( $_wyard_kept:q $_wyard_entry:q )
end
set path = ( $_wyard_kept:q $_wyard_folder:q )
unset _wyard_folder _wyard_entry _wyard_kept
";

const CSH_BEFORE: &str = "set _wyard_kept = ( )
set _wyard_seen = ''
foreach _wyard_entry ( $path:q )
  if ( $_wyard_entry:q == $_wyard_folder:q ) set _wyard_seen = yes
end
foreach _wyard_entry ( $path:q )
  if ( $_wyard_entry:q == $_wyard_other:q && $_wyard_seen == yes ) then
    set _wyard_kept = ( $_wyard_kept:q $_wyard_folder:q )
    set _wyard_seen = done
  endif
  if ( $_wyard_entry:q != $_wyard_folder:q ) set _wyard_kept = ( $_wyard_kept:q $_wyard_entry:q )
end
if ( $_wyard_seen == done ) set path = ( $_wyard_kept:q )
unset _wyard_folder _wyard_other _wyard_entry _wyard_kept _wyard_seen
";
