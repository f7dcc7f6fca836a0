//! fish (fish(1)).

use std::path::PathBuf;

use super::rules::{Asked, CatchUpRules, FieldOrder, UnixRules};
use super::start_mode::StartMode;
use super::startup_file::{Dialect, StartupFolders};
use super::watch::Watch;
use super::{kinds, posix};
use crate::folders::files_in;
use crate::quote;
use crate::resolve::Shell;

pub const CATCH_UP: CatchUpRules = CatchUpRules {
    unset: |name| format!("set -e {name}"),
    set: |name, text| {
        // What is a list there is set as one.
        let text = if name == "PATH" { text.split(':').map(word).collect::<Vec<_>>().join(" ") } else { word(text) };
        Some(format!("set -gx {name} {text}"))
    },
    forget: None,
    call: "wyard catch-up fish | source",
};

const WATCH: [&str; 2] = [
    "begin; functions --handlers-type signal; functions --handlers-type generic; functions --handlers-type process-exit; functions --handlers-type job-exit; bind --user; bind \\r; bind \\n; end 2>/dev/null | string match '*'",
    "",
];

pub const RULES: UnixRules = UnixRules {
    shell: Shell::Fish,
    is_running: "-n \"$FISH_VERSION\"",
    dialect: Dialect::Fish,
    word,
    // Settings that somebody has put there; a new home gets the folder without any.
    signs: &["config.fish", "conf.d/*"],
    settings: |home, environment| {
        environment.folder("XDG_CONFIG_HOME").unwrap_or_else(|| home.join(".config")).join("fish")
    },
    // `config.fish` whatever way it is started ("Configuration files").
    startup_files: |folders, _| folders.fish.iter().map(|folder| folder.join("config.fish")).collect(),
    more_files,
    system_files: (&["/etc/fish/config.fish"], "/etc/fish/conf.d"),
    system_targets: |etc, _, _| vec![etc.join("fish").join("conf.d").join("zz-wagon-yard.fish")],
    inherits_from_login: false,
    takes_login_flag: true,
    // It makes folders.
    harmless: &[],
    needs_to_write: true,
    typed_ahead: false,
    shares_question: true,
    question,
    order: FieldOrder::Pairs,
    prints_separators: false,
    file: posix::file,
    kind: kinds::in_a_word,
    read: ".",
    printf: "builtin printf",
    before_reading: "",
    line_hook: "builtin emit fish_preexec LINE\n",
    prompt_hook: "fish_prompt or fish_preexec",
    watch: WATCH,
    watch_line,
};

fn word(word: &str) -> String {
    String::from_utf8_lossy(&quote::fish(word.as_bytes())).into_owned()
}

/// What is set once for all terminals, and the parts of the configuration.
fn more_files(folders: &StartupFolders) -> Vec<PathBuf> {
    let of_folder =
        |folder: &PathBuf| [folder.join("fish_variables")].into_iter().chain(files_in(&folder.join("conf.d")));
    folders.fish.iter().flat_map(of_folder).collect()
}

/// What is typed for another word is put in its place at the prompt, whether it is that word or one of a pattern ("abbr").
/// `type` would go through PATH once more.
fn question(asked: &Asked<'_>) -> String {
    let Asked { marker, env, watch, .. } = asked;
    let abbreviation = match asked.mode {
        StartMode::LoginCommand => "",
        StartMode::Login | StartMode::Interactive => {
            "if abbr -q -- $c; or string match -qr -- $_wyard_abbr $c; echo abbreviation; else "
        }
    };
    let kind = format!(
        "{abbreviation}if builtin functions -q -- $c; echo function; \
         else if builtin contains -- $c $_wyard_builtins; echo builtin; end"
    );
    let patterns = r"set -l _wyard_abbr '^(?:'(string join '|' -- '(?!)' (abbr --show 2>/dev/null | string replace -rf -- '^.*--regex (\'(?:[^\'\\\\]|\\\\.)*\'|\S+) .*$' '$1' | string unescape))')$'
";
    format!(
        "{patterns}set -l _wyard_builtins (builtin -n)\nbuiltin printf '\\n%s\\0' {marker}; builtin printf '%s\\0' (string join : -- $PATH | string collect) $PWD\n\
         for c in {}\nbuiltin printf '%s\\0' (begin; {kind}; end | string collect; or echo)\n\
         builtin printf '%s\\0' (command -s -- $c 2>/dev/null | string collect; or echo)\nend\n{env}\nbuiltin printf '%s\\0' {marker}-watch\n{watch}\nbuiltin printf '\\0%s\\0' {marker}",
        asked.commands.join(" ")
    )
}

fn watch_line(watch: &mut Watch, words: &[&str], line: &str) {
    match *words {
        ["bind", .., does] => {
            let is_of_enter = [" \\r ", " \\n ", " enter "].iter().any(|key| line.contains(key));
            let is_of_character = line.contains(" '' ") || line.contains(" space ") || line.contains(" ' ' ");
            watch.rewrites |= is_of_enter && does != "execute" || is_of_character && !line.contains("self-insert");
        }
        [signal, handler] if signal.starts_with("SIG") => {
            watch.take_in(signal.trim_start_matches("SIG"), !is_of_fish(handler));
        }
        ["fish_preexec", handler] => watch.rewrites |= !is_of_fish(handler),
        // Said only where there are some.
        ["Event", "process-exit" | "job-exit"] => watch.defers = true,
        _ => {}
    }
}

/// Whether fish brings a function itself: those change no commands.
fn is_of_fish(function: &str) -> bool {
    function.starts_with("fish_") || function.starts_with("__fish")
}
