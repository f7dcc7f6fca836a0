//! Whether a program that ended with an error complains of the word that it was asked with, or of the world.

/// Words by which programs refuse an argument, or ask for others.
const REFUSALS: [&str; 38] = [
    "usage",
    "unknown option",
    "unknown flag",
    "unknown argument",
    "unknown command",
    "unknown switch",
    "unknown parameter",
    "unknown subcommand",
    "unrecognized",
    "unrecognised",
    "invalid option",
    "invalid argument",
    "invalid flag",
    "illegal option",
    "invalid command",
    "bad option",
    "bad argument",
    "no such option",
    "no such command",
    "not a valid",
    "unexpected argument",
    "unexpected option",
    "unsupported option",
    "not an option",
    "unhandled option",
    "missing operand",
    "missing argument",
    "missing command",
    "requires an argument",
    "requires at least",
    "no input",
    "no command",
    "too few arguments",
    "too many arguments",
    "not enough arguments",
    "--help",
    "for help",
    "a subcommand",
];

/// Ways to say that something is not as it has to be.
const LACKS: [&str; 8] =
    ["not set", "unset", "not defined", "undefined", "must be set", "is missing", "must be defined", "is empty"];

/// The complaint in what a program wrote before it ended with an error; `None` where it only refused the arguments it was
/// given, of which none names anything that is there. The first line that says something counts, standard error first.
pub(super) fn complaint(lines: &[String], arguments: &[&str]) -> Option<String> {
    let first = lines.first()?;
    if let Some(line) = lines.iter().find(|line| lacking_variable(line).is_some()) {
        return Some(line.clone());
    }
    let lower = first.to_lowercase();
    let names_argument = arguments.iter().any(|argument| {
        let bare = argument.trim_start_matches('-');
        // "-version" is read as several letters by some.
        argument.len() > 2 && (lower.contains(argument) || lower.contains(bare.get(1..).unwrap_or(bare)))
            || lower.split(|c: char| !(c.is_alphanumeric() || c == '-')).any(|word| word == *argument || word == bare)
    });
    let refuses = |line: &String| {
        let line = line.to_lowercase();
        REFUSALS.iter().any(|words| line.contains(words))
    };
    let is_refused = names_argument || refuses(first) || lines.iter().skip(1).take(2).any(refuses) && !blames(&lower);
    (!is_refused).then(|| first.clone())
}

/// The complaint of a program that ended well all the same.
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

/// Whether a line puts the blame on something else than arguments.
fn blames(lower: &str) -> bool {
    ["cannot", "can't", "could not", "unable", "denied", "failed", "not found", "no such file"]
        .iter()
        .any(|words| lower.contains(words))
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
        ] {
            let lines: Vec<String> = said.lines().map(str::to_owned).collect();
            assert_eq!(complaint(&lines, arguments).as_deref(), expected, "{said}");
        }
        assert_eq!(complaint(&[], &[]), None);
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
