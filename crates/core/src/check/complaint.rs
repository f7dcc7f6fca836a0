//! Whether a program that ended with an error complains of the word that it was asked with, or of the world.

/// What may be wrong with an argument, and what an argument may be called: together they refuse one.
const WRONG: [&str; 14] = [
    "unknown",
    "unrecognized",
    "unrecognised",
    "invalid",
    "illegal",
    "bad",
    "no such",
    "unexpected",
    "unsupported",
    "unhandled",
    "ambiguous",
    "not a valid",
    "not a",
    "not an",
];
const ARGUMENTS: [&str; 9] =
    ["option", "flag", "argument", "command", "switch", "parameter", "subcommand", "operand", "positional"];

/// Words by which programs ask for other arguments than they were given.
const ASKS_FOR_OTHERS: [&str; 17] = [
    "missing operand",
    "missing argument",
    "missing required",
    "arguments are required",
    "argument is required",
    "command is required",
    "requires an argument",
    "requires a subcommand",
    "requires at least one argument",
    "no input file",
    "no input given",
    "no command given",
    "no command specified",
    "too few arguments",
    "too many arguments",
    "not enough arguments",
    "a subcommand",
];

/// Ways to say that something is not as it has to be.
const LACKS: [&str; 8] =
    ["not set", "unset", "not defined", "undefined", "must be set", "is missing", "must be defined", "is empty"];

/// The complaint in what a program wrote before it ended with an error; `None` where it only refused the arguments it was
/// given, of which none names anything that is there. The first line that says something counts, standard error first.
pub(super) fn complaint(lines: &[String], arguments: &[&str], name: &str) -> Option<String> {
    let first = lines.first()?;
    if let Some(line) = lines.iter().find(|line| lacking_variable(line).is_some()) {
        return Some(line.clone());
    }
    let lower = first.to_lowercase();
    if is_usage(&lower) {
        // What is wrong may stand below.
        let begin = format!("{}:", name.to_lowercase());
        let is_complaint = |line: &&String| {
            let line = line.to_lowercase();
            (line.starts_with(&begin) || line.starts_with("error")) && blames(&line) && !refuses(&line, arguments, name)
        };
        return lines[1..].iter().find(is_complaint).cloned();
    }
    let points_to_usage = |line: &String| {
        let line = line.to_lowercase();
        is_usage(&line) || line.starts_with("try ") && line.contains("help")
    };
    let is_refused = refuses(&lower, arguments, name) || !blames(&lower) && lines.iter().take(3).any(points_to_usage);
    (!is_refused).then(|| first.clone())
}

/// Whether a line in lower case refuses arguments.
fn refuses(line: &str, arguments: &[&str], name: &str) -> bool {
    let of_kind = WRONG.iter().any(|wrong| {
        line.match_indices(wrong).any(|(at, _)| {
            let next = line[at + wrong.len()..].trim_start_matches(" command-line").trim_start();
            let rest = ARGUMENTS.iter().find_map(|noun| next.strip_prefix(noun));
            // By itself "invalid argument" is what a system call says (errno(3), EINVAL).
            rest.is_some_and(|rest| !(*wrong == "invalid" && next.starts_with("argument") && rest.trim().is_empty()))
        })
    });
    let asks = ASKS_FOR_OTHERS.iter().any(|words| line.contains(words)) || line.ends_with("missing command");
    of_kind || asks || arguments.iter().any(|argument| is_named(line, argument, name))
}

/// Whether a line in lower case names an argument as the thing that is wrong, in whatever language.
fn is_named(line: &str, argument: &str, name: &str) -> bool {
    let argument = argument.to_lowercase();
    let bare = argument.trim_start_matches('-');
    let is_quoted = |word: &str| {
        [("'", "'"), ("\"", "\""), ("`", "'"), ("`", "`"), ("‘", "’"), ("“", "”"), ("«", "»"), ("»", "«"), ("„", "“")]
            .iter()
            .any(|(open, close)| line.contains(&format!("{open}{word}{close}")))
    };
    // "-version" is read as several letters by some.
    if is_quoted(&argument) || is_quoted(bare) || bare.get(1..).is_some_and(|rest| !rest.is_empty() && is_quoted(rest))
    {
        return true;
    }
    let is_part = |c: char| c.is_alphanumeric() || c == '-' || c == '_';
    // A whole call is told, not its argument.
    let called = format!("{} ", name.to_lowercase());
    line.match_indices(&argument).any(|(at, _)| {
        let (before, after) = (&line[..at], &line[at + argument.len()..]);
        let is_whole = !before.ends_with(is_part) && !after.starts_with(is_part);
        // A plain word may be anybody's: it stands as a file that was not found does, or by itself.
        let stands_alone = argument.starts_with('-')
            || (after.starts_with(':') || after.is_empty())
                && (before.is_empty()
                    || before.ends_with(": ")
                    || ["open ", "find ", "read ", "load ", "access ", "stat ", "file "]
                        .iter()
                        .any(|verb| before.ends_with(verb)));
        is_whole && stands_alone && !before.ends_with(&called)
    })
}

/// Whether a line in lower case begins to tell how a program is called.
fn is_usage(line: &str) -> bool {
    line.starts_with("usage") || line.contains(": usage:") || line.contains(" usage: ")
}

/// The complaint of a program that stated its version, or ended well all the same.
pub(super) fn complaint_of_well(lines: &[String]) -> Option<String> {
    let is_error = |line: &&String| {
        let lower = line.to_lowercase();
        lacking_variable(line).is_some()
            || ["error:", "fatal:", "fatal error"]
                .iter()
                .any(|begin| lower.starts_with(begin) || lower.contains(&format!(": {begin}")))
    };
    lines.iter().find(is_error).cloned()
}

/// The complaint of a program that stated its version and ended with an error.
pub(super) fn complaint_beside_version(lines: &[String], arguments: &[&str], name: &str) -> Option<String> {
    let begin = format!("{}: ", name.to_lowercase());
    let is_complaint = |line: &&String| {
        let line = line.to_lowercase();
        line.starts_with(&begin) && blames(&line) && !refuses(&line, arguments, name)
    };
    complaint_of_well(lines).or_else(|| lines.iter().find(is_complaint).cloned())
}

/// Whether a line asks for something that is not there, so that a version in it is not the program's own.
pub(super) fn asks(line: &str) -> bool {
    let line = line.to_lowercase();
    blames(&line)
        || ["need", "require", "must ", "at least", "or later", "or newer", "unsupported", "incompatible", "too old"]
            .iter()
            .any(|words| line.contains(words))
}

/// Whether a line in lower case puts the blame on something else than arguments.
fn blames(line: &str) -> bool {
    const WORDS: [&str; 18] = [
        "cannot",
        "can't",
        "can not",
        "could not",
        "couldn't",
        "unable",
        "denied",
        "failed",
        "failure",
        "not found",
        "no such file",
        "expired",
        "refused",
        "timed out",
        "not installed",
        "not running",
        "unreachable",
        "licen",
    ];
    WORDS.iter().any(|words| line.contains(words))
}

/// The variable that a complaint says is not set.
pub(super) fn lacking_variable(line: &str) -> Option<&str> {
    let lower = line.to_lowercase();
    if !LACKS.iter().any(|words| lower.contains(words)) && !lower.contains("set the ") && !lower.contains("please set")
    {
        return None;
    }
    let is_part = |c: char| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_';
    let is_name = |word: &&str| {
        word.len() > 2
            && word.chars().all(is_part)
            && word.starts_with(|c: char| c.is_ascii_uppercase())
            && word.contains('_')
    };
    line.split(|c: char| !(c.is_ascii_alphanumeric() || c == '_')).find(is_name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_refused_word_is_no_complaint_of_the_world() {
        for (said, arguments, expected) in [
            ("windrow: unknown option --version", &["--version"][..], None),
            ("Usage: windrow FILE...", &["--version"], None),
            ("windrow: illegal option -- -", &["--version"], None),
            ("windrow: cannot open --version: No such file or directory", &["--version"], None),
            ("windrow: cannot open version: No such file or directory", &["version"], None),
            ("windrow: bad letter 'ersion'", &["-version"], None),
            ("windrow: missing operand\nTry 'windrow --help' for more information.", &[], None),
            ("windrow: what now?\nusage: windrow FILE", &["-V"], None),
            ("ERROR: DRIFT_HOME is not set", &["--version"], Some("ERROR: DRIFT_HOME is not set")),
            (
                "ERROR: DRIFT_HOME is not set (windrow --version)",
                &["--version"],
                Some("ERROR: DRIFT_HOME is not set (windrow --version)"),
            ),
            ("usage: windrow FILE\nDRIFT_HOME is not set", &["--version"], Some("DRIFT_HOME is not set")),
            ("windrow: cannot read its licence", &["--version"], Some("windrow: cannot read its licence")),
            (
                "windrow: cannot read its licence\nTry 'windrow --help'",
                &["--version"],
                Some("windrow: cannot read its licence"),
            ),
            ("no buoy in reach", &["--version"], Some("no buoy in reach")),
            ("no buoy in reach", &[], Some("no buoy in reach")),
            ("windrow: unbekannte Option »V«", &["-V"], None),
            ("windrow: --version: was ist das?", &["--version"], None),
            ("windrow: station name required\nTry 'windrow --help' for more.", &["--version"], None),
            ("usage: windrow FILE\nwindrow: error: no such option: --version", &["--version"], None),
        ] {
            let lines: Vec<String> = said.lines().map(str::to_owned).collect();
            assert_eq!(complaint(&lines, arguments, "windrow").as_deref(), expected, "{said}");
        }
        assert_eq!(complaint(&[], &[], "windrow"), None);
        // Words of refusals in what has nothing to do with arguments.
        for said in [
            "windrow: needs libtide version 17 or later",
            "libtide.so: version `TIDE_2' not found (required by windrow)",
            "windrow: disk usage exceeds its quota",
            "windrow: cannot lock /srv/tides: Invalid argument",
            "windrow: no input device",
            "windrow: unrecognized licence format",
            "windrow: the licence is not a valid one; call the office for help",
            "windrow: requires at least 4 GB of memory",
            "windrow: missing command: tidectl",
            "windrow: its licence has expired, see --help",
            "run 'windrow --version' again once the gauge is connected",
        ] {
            for argument in ["--version", "-version", "version", "-V", "-v"] {
                assert!(complaint(&[said.to_owned()], &[argument], "windrow").is_some(), "{said} ({argument})");
            }
        }
        assert!(asks("windrow: Needs tide core version 4.2.1") && !asks("windrow version 4.2.1"));
        let below = ["usage: windrow FILE", "windrow: error: cannot reach its licence server"].map(str::to_owned);
        assert_eq!(complaint(&below, &["--version"], "windrow").as_ref(), Some(&below[1]));
        let beside = ["windrow 4.2.1", "windrow: cannot read its licence"].map(str::to_owned);
        assert_eq!(complaint_beside_version(&beside, &["--version"], "windrow").as_ref(), Some(&beside[1]));
        let refused = ["windrow 4.2.1", "windrow: cannot open --version"].map(str::to_owned);
        assert_eq!(complaint_beside_version(&refused, &["--version"], "windrow"), None);
        for (said, expected) in
            [("all is well", false), ("ERROR: no licence", true), ("windrow: error: none", true), ("0 errors", false)]
        {
            assert_eq!(complaint_of_well(&[said.to_owned()]).is_some(), expected, "{said}");
        }
    }

    #[test]
    fn a_variable_is_named() {
        for (line, expected) in [
            ("ERROR: DRIFT_HOME is not set", Some("DRIFT_HOME")),
            ("please set BUOY_DATA first", Some("BUOY_DATA")),
            ("DRIFT_HOME is /opt/drift", None),
            ("ERROR: not set", None),
        ] {
            assert_eq!(lacking_variable(line), expected, "{line}");
        }
    }
}
