//! What a shell does with a line before it runs it, by the words of that line: what is typed for a question is another one, so
//! that the hooks are told the line that is meant.

use super::quoting::quoted;
use crate::resolve::Shell;

/// For bash to do first: a file that is read has no such trap (bash(1), `trap`). Where another shell sits there by then, that is
/// an error of its own, and what follows in the line is done.
pub(super) const BASH_FIRST: &str = " eval '_wyard_trap=$(trap -p DEBUG)'; ";

/// bash(1), `trap`, DEBUG: the trap's own text, with the line in place of `BASH_COMMAND`.
const BASH: &str = r#"_wyard_line=LINE
if \builtin test -n "${_wyard_trap-}"; then
\builtin eval "_wyard_trap=(${_wyard_trap})"
_wyard_trap=${_wyard_trap[2]//BASH_COMMAND/_wyard_line}
\builtin eval "$_wyard_trap" >/dev/null 2>&1 || \builtin :
fi
"#;

/// zsh(1), "Hook Functions", `preexec`, which is told the line.
const ZSH: &str = r#"for c in preexec "${preexec_functions[@]-}"; do \builtin typeset +f -- "$c" >/dev/null && "$c" LINE LINE LINE >/dev/null || \builtin :; done
"#;

const FISH: &str = "builtin emit fish_preexec LINE\n";

/// The commands, in the shell's own language, that tell its hooks the line.
pub(super) fn text(shell: Shell, line: &str) -> String {
    let text = match shell {
        Shell::Bash => BASH,
        Shell::Zsh => ZSH,
        Shell::Fish => FISH,
        _ => "",
    };
    text.replace("LINE", &quoted(shell, line))
}
