//! The commands and keywords built into each shell: they answer before any file of the same name.

use super::caller::{Caller, Shell};
use super::candidate::Kind;
use crate::system::System;

/// Keywords of the shell language (POSIX.1-2017, 2.4).
const KEYWORDS: &str = "! { } case do done elif else esac fi for if in then until while";

/// Built-in commands of the plain shell (dash(1), "Builtins"; POSIX.1-2017, 2.14 and 1.6).
const SH: &str = ". : [ alias bg break cd chdir command continue echo eval exec exit export false fg getopts hash \
                  jobs kill local printf pwd read readonly return set shift test times trap true type ulimit umask \
                  unalias unset wait";

/// bash(1), "SHELL BUILTIN COMMANDS" and "RESERVED WORDS".
const BASH: &str = ". : [ alias bg bind break builtin caller cd command compgen complete compopt continue declare \
                    dirs disown echo enable eval exec exit export false fc fg getopts hash help history jobs kill let \
                    local logout mapfile popd printf pushd pwd read readarray readonly return set shift shopt source \
                    suspend test times trap true type typeset ulimit umask unalias unset wait select function time \
                    [[ ]] coproc";

/// zshbuiltins(1) and zshmisc(1), "RESERVED WORDS".
const ZSH: &str = "- . : [ [[ alias autoload bg bindkey break builtin bye cd chdir command continue coproc declare \
                   dirs disable disown echo echotc echoti emulate enable end eval exec exit export false fc fg float \
                   foreach function functions getln getopts hash history integer jobs kill let limit local log logout \
                   nocorrect noglob popd print printf private pushd pushln pwd r read readonly rehash repeat return \
                   sched select set setopt shift source suspend test time times trap true ttyctl type typeset ulimit \
                   umask unalias unfunction unhash unlimit unset unsetopt vared wait whence where which zcompile \
                   zformat zle zmodload zparseopts zregexparse zstyle";

/// fish's own `builtin --names`; fish has a grammar of its own, so the keywords above do not apply.
const FISH: &str = ". : [ _ abbr and argparse begin bg bind block break breakpoint builtin case cd command commandline \
                    complete contains continue count disown echo else emit end eval exec exit false fg for function \
                    functions history if jobs math not or path printf pwd random read realpath return set set_color \
                    source status string switch test time true type ulimit wait while";

/// ksh(1), "Built-in Commands" and "Commands", with the aliases it has from the start.
const KSH: &str = ". : [ alias autoload bg break builtin cd command compound continue disown echo enum eval exec exit \
                   export false fc fg float functions getopts hash hist integer jobs kill let nameref print printf pwd \
                   read readonly redirect return set shift sleep source stop suspend test times trap true type typeset \
                   ulimit umask unalias unset wait whence function select time namespace [[ ]]";

/// tcsh(1), "Builtin commands".
const TCSH: &str = "% : @ alias alloc bg bindkey break breaksw builtins bye case cd chdir complete continue default dirs \
                    echo echotc else end endif endsw eval exec exit fg filetest foreach glob goto hashstat history hup \
                    if jobs kill limit log login logout ls-F nice nohup notify onintr popd printenv pushd rehash repeat \
                    sched set setenv settc setty shift source stop suspend switch telltc termname time umask unalias \
                    uncomplete unhash unlimit unset unsetenv wait where which while";

/// The internal commands of `cmd` ("Windows commands", `cmd /?`).
const CMD: &str = "assoc break call cd chcp chdir cls color copy date del dir dpath echo endlocal erase exit for ftype \
                   goto if keys md mkdir mklink move path pause popd prompt pushd rd rem ren rename rmdir set setlocal \
                   shift start time title type ver verify vol";

/// Aliases and functions that Windows PowerShell 5 has from the start and that hide commands of well-known suites
/// ("about_Aliases").
const POWERSHELL: &str = "% ? ac cat cd chdir clc clear clhy cli clp cls clv cnsn compare copy cp cpi cpp curl cvpa dbp \
                          del diff dir dnsn ebp echo epal epcsv epsn erase etsn exsn fc fhx fl foreach ft fw gal gbp gc \
                          gci gcm gcs gdr ghy gi gjb gl gm gmo gp gps group gsn gsv gu gv gwmi h help history icm iex \
                          ihy ii ipal ipcsv ipmo ipsn irm ise iwmi iwr kill lp ls man md measure mi mkdir more mount move \
                          mp mv nal ndr ni nmo npssc nsn nv oh ogv pause popd prompt ps pushd pwd r rbp rcjb rcsn rd rdr \
                          ren ri rjb rm rmdir rmo rni rnp rp rsn rsnp rujb rv rvpa rwmi sajb sal saps sasv sbp sc select \
                          set shcm si sl sleep sls sort sp spjb spps spsv start sujb sv swmi tee trcm type wget where \
                          wjb write";

/// Those that PowerShell 7 has on Windows: fewer hide commands of other suites ("about_Aliases").
const PWSH: &str = "% ? ac cat cd chdir clc clear clhy cli clp cls clv cnsn compare copy cp cpi cpp cvpa dbp del diff dir \
                    dnsn ebp echo epal epcsv erase etsn exsn fc fhx fl foreach ft fw gal gbp gc gcb gci gcm gcs gdr gerr \
                    ghy gi gin gjb gl gm gmo gp gps gpv group gsn gsv gtz gu gv h help history icm iex ihy ii ipal ipcsv \
                    ipmo irm iwr kill lp ls man md measure mi mkdir mount move mp mv nal ndr ni nmo nsn nv oh ogv oss \
                    pause popd prompt ps pushd pwd r rbp rcjb rcsn rd rdr ren ri rjb rm rmdir rmo rni rnp rp rsn rv rvpa \
                    sajb sal saps sasv sbp scb select set shcm si sl sleep sls sort sp spjb spps spsv start stz sv tee \
                    type where wjb write";

/// What of a caller's own answers to this name before it looks for a file: a built-in command, or one of the aliases
/// that PowerShell has from the start.
pub fn own_answer(caller: Caller, name: &str) -> Option<Kind> {
    let kind = if caller.shell().is_some_and(Shell::is_powershell) { Kind::Alias } else { Kind::Builtin };
    builtin(caller, name).then_some(kind)
}

/// Whether the caller answers to this name itself, before looking for a file.
pub fn builtin(caller: Caller, name: &str) -> bool {
    let Some(shell) = caller.shell() else { return false };
    let lists: &[&str] = match shell {
        Shell::Sh => &[SH, KEYWORDS],
        Shell::Bash => &[BASH, KEYWORDS],
        Shell::Zsh => &[ZSH, KEYWORDS],
        Shell::Fish => &[FISH],
        Shell::Ksh => &[KSH, KEYWORDS],
        Shell::Tcsh => &[TCSH],
        Shell::Cmd => &[CMD],
        Shell::PowerShell => &[POWERSHELL],
        Shell::Pwsh => &[PWSH],
    };
    let folds_case = shell.system() == System::Windows;
    let same = |word: &str| if folds_case { word.eq_ignore_ascii_case(name) } else { word == name };
    lists.iter().flat_map(|list| list.split_whitespace()).any(same)
}
