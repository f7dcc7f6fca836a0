//! What `-h` and `--help` add to the options: examples, what holds for every command, exit status, files and variables.

use clap::Command;

/// Two examples for each command.
const EXAMPLES: [(&str, [&str; 2]); 28] = [
    ("about", ["about", "about --json"]),
    ("adopt", ["adopt ~/tools/neap-2.1", "adopt --search"]),
    ("catch-up", ["catch-up bash", "catch-up powershell"]),
    ("check", ["check tidelog", "check --all-path"]),
    ("compare", ["compare monday.json.gz today.json.gz", "compare --then"]),
    ("completions", ["completions bash", "completions fish"]),
    ("deliver", ["deliver workstation.toml --dry-run", "deliver workstation.toml --verify"]),
    ("draft", ["draft > workstation.toml", "draft --json"]),
    ("demo", ["demo", "demo --keep ~/rehearsal"]),
    ("explain", ["explain shadowed", "explain hides-other"]),
    ("history", ["history", "history 12"]),
    ("inspect", ["inspect tidelog-4.2.1-linux-x64.tar.gz", "inspect ~/Downloads"]),
    ("machine", ["machine", "machine --json"]),
    ("page", ["page --into path.html", "page --compare pier-3.json pier-9.json --into piers.html"]),
    ("path", ["path show", "path move ~/bin --before /opt/tide/bin"]),
    ("receive", ["receive tidelog-4.2.1-linux-x64.tar.gz", "receive buoyctl-2.4.run --yes"]),
    ("register", ["register tidelog", "register tidelog@4.1.0 --dry-run"]),
    ("retire", ["retire tidelog@4.1.0", "retire buoyctl --uninstall"]),
    ("selftest", ["selftest", "selftest --into selftest.json"]),
    ("snapshot", ["snapshot --into today.json.gz", "snapshot --into pier-3.json --name pier-3"]),
    ("stock", ["stock", "stock --no-run"]),
    ("survey", ["survey", "survey --fail-on caution"]),
    ("switch", ["switch tidelog 4.1.0", "switch tidelog 4.1.0 --dry-run"]),
    ("trace", ["trace tidelog", "trace sort --terminal new"]),
    ("trial", ["trial driftc", "trial add driftc --title \"four lines\" --run \"driftc tide.drift\""]),
    ("undo", ["undo", "undo 12 --dry-run"]),
    ("unregister", ["unregister tidelog", "unregister tidelog@4.1.0"]),
    ("unpack", ["unpack charts-2026.7z --into charts", "unpack tidelog.zip --into t --keep-wrapper"]),
];

/// Options of a group that are in the short help as well.
const MAIN: [&str; 1] = ["sha256"];

/// Options that are only in the long help.
const RARE: [&str; 10] = [
    "status",
    "keep_download",
    "trust_folder",
    "trusted",
    "foreign",
    "kind",
    "probe",
    "time_limit",
    "leaves_program",
    "usual_probe",
];

const EVERYWHERE: &str = "All commands: --json --yard --sandbox --scope --color --plain --shells -q -v";

const AFTERWARDS: &str = "\
Exit status:
  0    good, or done
  1    bad: the check failed, or findings at the --fail-on severity
  2    wrong call
  3    input refused: damaged, dangerous or mismatching
  4    machine refused: permissions, disk, lock
  130  interrupted

Files:
  settings.toml, ledger.jsonl and cards/ in the yard; the startup files of your shells, or the registry

Environment:
  WYARD_YARD  folder of the yard
  NO_COLOR    disables colour
  PATH, HOME, SHELL, ZDOTDIR, XDG_CONFIG_HOME, XDG_DATA_HOME, TMPDIR";

/// Adds them, and keeps the short help short.
pub fn with_help(command: Command) -> Command {
    command
        .mut_args(|arg| if arg.is_global_set() { arg.hide_short_help(true) } else { arg })
        .after_help(EVERYWHERE)
        .after_long_help(AFTERWARDS)
        .mut_subcommands(|command| match EXAMPLES.iter().find(|(name, _)| *name == command.get_name()) {
            Some((_, examples)) => with_examples(command, examples),
            None => command,
        })
}

fn with_examples(command: Command, examples: &[&str]) -> Command {
    let lines: Vec<String> = examples.iter().map(|example| format!("  wyard {example}")).collect();
    let examples = format!("Examples:\n{}", lines.join("\n"));
    command
        .mut_args(|arg| {
            let id = arg.get_id().as_str();
            let is_main = arg.get_help_heading().is_none() || MAIN.contains(&id);
            let is_shown = is_main && !RARE.contains(&id);
            arg.hide_short_help(!is_shown)
        })
        .after_help(format!("{examples}\n\n{EVERYWHERE}"))
        .after_long_help(format!("{examples}\n\n{AFTERWARDS}"))
}

#[cfg(test)]
mod tests {
    use clap::CommandFactory as _;

    use super::*;
    use crate::args::Args;

    /// All of the long help, as a page.
    fn page() -> String {
        let mut all = with_help(Args::command()).term_width(100);
        all.build();
        let mut page = "# Commands\n\nMade of `wyard COMMAND --help` by `WYARD_UPDATE_DOCS=1 cargo test -p wagon-yard --bin wyard`.\n".to_owned();
        let mut all_commands = String::new();
        let mut waiting: Vec<Command> = all.get_subcommands().cloned().collect();
        waiting.reverse();
        while let Some(mut command) = waiting.pop() {
            let name = command.get_bin_name().unwrap_or_default().to_owned();
            let help = command.render_long_help().to_string();
            // What is the same for all stands once, at the end.
            let help = help.replace(AFTERWARDS, "");
            let (own, rest) = help.split_once("\n\nEverywhere:\n").unwrap_or((&help, ""));
            let (everywhere, examples) = rest.split_once("\n\nExamples:\n").unwrap_or((rest, ""));
            let examples = if examples.is_empty() { String::new() } else { format!("\n\nExamples:\n{examples}") };
            all_commands = format!("Options:\n{}\n\n{AFTERWARDS}", everywhere.trim_end());
            page.push_str(&format!("\n## {name}\n\n```text\n{}{}\n```\n", own.trim_end(), examples.trim_end()));
            waiting.extend(
                command
                    .get_subcommands()
                    .filter(|one| one.get_name() != "help")
                    .cloned()
                    .collect::<Vec<_>>()
                    .into_iter()
                    .rev(),
            );
        }
        page.push_str(&format!("\n## All commands\n\n```text\n{all_commands}\n```\n"));
        page.lines().map(|line| format!("{}\n", line.trim_end())).collect()
    }

    #[test]
    fn the_page_of_commands_is_what_the_help_says() {
        let file = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/commands.md");
        if std::env::var_os("WYARD_UPDATE_DOCS").is_some() {
            std::fs::write(&file, page()).unwrap();
        }
        let kept = std::fs::read_to_string(&file).unwrap_or_default().replace("\r\n", "\n");
        assert_eq!(kept, page(), "run WYARD_UPDATE_DOCS=1 cargo test -p wagon-yard --bin wyard");
    }

    #[test]
    fn the_short_help_of_each_command_fits_a_screen() {
        let mut all = with_help(Args::command()).term_width(80);
        all.build();
        for command in all.get_subcommands_mut() {
            let name = command.get_name().to_owned();
            let text = command.render_help().to_string();
            assert!(text.lines().count() <= 24, "{}\n{text}", text.lines().count());
            assert!(text.lines().all(|line| line.chars().count() <= 80), "{text}");
            assert!(text.contains("Examples:"), "{name}");
        }
    }
}
