//! What a shell says of a name, as a kind.

use crate::resolve::Kind;

/// The kind, from each shell's own word: bash `type -t`, zsh `whence -w` ("NAME: KIND"), fish `type -t`, and for the
/// plain shell `command -v` (a path, "alias …", or the bare name for what is built in).
pub fn in_a_word(name: &str, said: &str, has_file: bool) -> Kind {
    let word = said.rsplit_once(": ").map_or(said, |(_, kind)| kind);
    match word {
        "file" | "command" | "hashed" => Kind::File,
        "alias" | "global alias" | "suffix alias" | "abbreviation" => Kind::Alias,
        "function" => Kind::Function,
        "builtin" | "keyword" | "reserved" => Kind::Builtin,
        // Some are asked for the kind without PATH.
        "" if has_file => Kind::File,
        "none" | "" => Kind::None,
        _ if said.starts_with("alias ") => Kind::Alias,
        _ if said.contains('/') => Kind::File,
        // A bare name: a function hides a file that a shell without it would find; a builtin cannot be taken away.
        _ if said == name && has_file => Kind::Function,
        _ => Kind::Builtin,
    }
}

/// The kind, from a sentence: ksh `whence -v` ("NAME is a shell builtin"), tcsh `which` ("NAME: shell built-in
/// command.").
pub fn in_a_sentence(name: &str, said: &str, _has_file: bool) -> Kind {
    let about = said.strip_prefix(name).map_or(said, |rest| rest.trim_start_matches(':').trim_start());
    let about = about.strip_prefix("is ").unwrap_or(about);
    let begins = |words: &[&str]| words.iter().any(|word| about.starts_with(word));
    if begins(&["an alias", "aliased to"]) {
        Kind::Alias
    } else if begins(&["a function", "an exported function", "an undefined function"]) {
        Kind::Function
    } else if begins(&["a shell builtin", "a special builtin", "a keyword", "shell built-in"]) {
        Kind::Builtin
    } else if about.contains('/') {
        Kind::File
    } else {
        Kind::None
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sentence_tells_the_kind() {
        for (said, kind) in [
            ("t is a tracked alias for /bin/t", Kind::File),
            ("t is an alias for 't -l'", Kind::Alias),
            ("t is a shell builtin", Kind::Builtin),
            ("t is a function", Kind::Function),
            ("t: \t aliased to t -F: x", Kind::Alias),
            ("t: shell built-in command.", Kind::Builtin),
            ("/usr/bin/t", Kind::File),
            ("t: Command not found.", Kind::None),
            ("", Kind::None),
        ] {
            assert_eq!(in_a_sentence("t", said, false), kind, "{said}");
        }
    }
}
