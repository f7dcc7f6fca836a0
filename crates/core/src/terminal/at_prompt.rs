//! What an interactive shell does before it shows its first prompt, and once more before it runs the line typed there: a
//! hook that changes PATH then decides what the line means, and no other way of starting the shell runs it.

use std::ffi::OsString;
use std::path::Path;

use super::answer::Said;
use super::quoting::quoted;
use crate::finding::{Code, Finding};
use crate::os;
use crate::resolve::{self, Disk, LookupContext, Shell};

/// A file that nobody can make, nor move another one to, as shells do that save their history: not even an administrator,
/// who would lose the device.
pub(super) const NOWHERE: &str = "/dev/null/history";

/// For bash and zsh: PATH as it is before anything else.
const TELL: &str = r#"\builtin printf '\n%s\0%s\0' MARK "$PATH"
"#;

/// bash(1), `PROMPT_COMMAND`: a command, or since 5.1 an array of them. Hooks like to save the history, and a shell that
/// nobody types into has none: saving that would lose the user's. So it is read first, its file is set anew where that is
/// allowed, and the command that saves does nothing.
const BASH: &str = r#"\builtin history -r 2>/dev/null || \builtin :
case $(\builtin declare -p HISTFILE 2>/dev/null) in 'declare -'*r*' HISTFILE='*) ;; *) HISTFILE=NOWHERE ;; esac
_wyard_history=
\builtin declare -F history >/dev/null || \builtin eval 'function history { \builtin :; }; _wyard_history=ours'
for c in "${PROMPT_COMMAND[@]-}"; do \builtin eval "$c" >/dev/null || \builtin :; done
\builtin test -z "$_wyard_history" || \builtin unset -f history
"#;

/// zsh(1), "Hook Functions": the function, then those named in its array; `periodic` where `PERIOD` is set, the first time
/// at the first prompt. `preexec` is told the line.
const ZSH: &str = r#"case ${(t)HISTFILE-} in *readonly*) ;; *) HISTFILE=NOWHERE ;; esac
_wyard_history=
\builtin typeset +f -- fc >/dev/null || { \builtin eval 'function fc { \builtin : }'; _wyard_history=ours }
\builtin test "${PERIOD:-0}" = 0 || precmd_functions=("${precmd_functions[@]-}" periodic "${periodic_functions[@]-}")
for c in precmd "${precmd_functions[@]-}"; do \builtin typeset +f -- "$c" >/dev/null && "$c" >/dev/null || \builtin :; done
for c in preexec "${preexec_functions[@]-}"; do \builtin typeset +f -- "$c" >/dev/null && "$c" LINE LINE LINE >/dev/null || \builtin :; done
\builtin test -z "$_wyard_history" || \builtin unset -f fc
"#;

/// fish, "Event handlers", and the functions that print the prompt: none of them runs in a subshell. What fish
/// itself has hooked in there writes its settings into a new home, and is left out.
const FISH: &str = "builtin printf '\\n%s\\0' MARK; builtin printf '%s\\0' (string join : -- $PATH | string collect)\n\
    builtin functions -q __fish_on_interactive; and builtin functions -e __fish_on_interactive\n\
    builtin emit fish_prompt\n\
    for c in fish_mode_prompt fish_prompt fish_right_prompt\n\
    builtin functions -q $c; and $c >/dev/null 2>/dev/null\n\
    end\n\
    builtin emit fish_preexec LINE\n";

/// tcsh(1), "Special aliases": `periodic` counts as `precmd` where `tperiod` is 0 or not set; `postcmd` it runs by itself
/// before each command.
const TCSH: &str = "unalias set; unalias if; unalias eval\n/usr/bin/printf '\\n%s\\0' MARK; /usr/bin/printf '%s\\0' $PATH:q; \
    unset savehist; set histfile = NOWHERE; set _wyard_p = 0; if ($?tperiod) eval 'set _wyard_p = $tperiod:q'; \
    set _wyard = (\"`alias periodic`\"); if ($#_wyard && \"$_wyard_p\" == 0) eval periodic >& /dev/null; \
    set _wyard = (\"`alias precmd`\"); if ($#_wyard) eval precmd >& /dev/null\n";

/// The mark behind which the PATH stands that the shell had until then.
fn mark(marker: &str) -> String {
    format!("{marker}-start")
}

/// The commands, in the shell's own language, that do the same, and first tell PATH; `line` is what is typed then.
pub(super) fn text(shell: Shell, marker: &str, line: &str) -> String {
    let text = match shell {
        Shell::Bash => format!("{TELL}{BASH}"),
        // On some systems the plain shell is a bash.
        Shell::Sh => {
            format!("case ${{BASH_VERSION-}} in ?*) \\eval {} ;; esac\n", quoted(shell, &format!("{TELL}{BASH}")))
        }
        Shell::Zsh => format!("{TELL}{ZSH}"),
        Shell::Fish => FISH.to_owned(),
        Shell::Tcsh => TCSH.to_owned(),
        Shell::Ksh | Shell::Cmd | Shell::PowerShell => String::new(),
    };
    text.replace("NOWHERE", NOWHERE).replace("MARK", &mark(marker)).replace("LINE", &quoted(shell, line))
}

/// The PATH that was told, where that can be found.
pub(super) fn path_before(marker: &str, output: &[u8]) -> Option<OsString> {
    let begin = [b"\n", mark(marker).as_bytes(), b"\0"].concat();
    let at = output.windows(begin.len()).position(|window| window == begin)? + begin.len();
    let length = output[at..].iter().position(|byte| *byte == 0)?;
    Some(os::name_from_bytes(output[at..at + length].to_vec()))
}

impl Said {
    /// Tells where `name` meant `file` until the shell did what it does before a prompt, and means `now` since.
    #[must_use]
    pub fn undone_at_prompt(&self, shell: Shell, name: &str, file: &Path, now: Option<&Path>) -> Option<Finding> {
        let before = LookupContext { path: self.before_prompt.clone()?, ..self.context.clone() };
        let candidates = resolve::candidates(shell.into(), name, &before, &Disk);
        resolve::winner(&candidates).filter(|winner| resolve::same_file(winner, file))?;
        let hook = match shell {
            Shell::Zsh => "precmd or preexec",
            Shell::Fish => "fish_prompt or fish_preexec",
            Shell::Tcsh => "the alias precmd",
            _ => "PROMPT_COMMAND",
        };
        let means = now.map_or_else(|| "not found".to_owned(), |now| now.display().to_string());
        let seen =
            format!("what the shell runs before its prompt changes PATH, and {name} is {means} in a new terminal");
        let shell = shell.name();
        let remedy = format!("look in the startup files of {shell} for {hook}, and take out what it does to PATH");
        Some(Finding::new(Code::UndoneAtPrompt, seen).remedy(remedy))
    }
}
