//! The manual pages in `docs/man`: one for each command, made from its help. `wyard-formats.5` beside them is written by hand.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use clap::{Command, CommandFactory as _};
use clap_mangen::Man;

use super::{Args, help};

/// The name of a page: `wyard-path-add` for `wyard path add`.
fn page_name(command: &Command) -> String {
    command.get_bin_name().unwrap_or_else(|| command.get_name()).replace(' ', "-")
}

/// A line as it is shown, whatever it begins with (groff_man(7), "escape sequences").
fn literal(line: &str) -> String {
    let line = line.replace('\\', "\\e").replace('-', "\\-");
    if line.starts_with(['.', '\'']) { format!("\\&{line}") } else { line }
}

/// The parts of what follows the options in the long help, as sections.
fn sections(after: &str) -> String {
    let mut text = String::new();
    for part in after.split("\n\n") {
        let (heading, body) = part.split_once(":\n").unwrap_or(("Notes", part));
        let lines: Vec<String> = body.lines().map(|line| literal(line.trim())).collect();
        text.push_str(&format!(".SH {}\n.nf\n{}\n.fi\n", heading.to_uppercase(), lines.join("\n")));
    }
    text
}

fn page(command: &Command) -> String {
    let name = page_name(command);
    let is_main = command.get_name() == name;
    // What is the same for all stands on the main page. Everything else is told, however rare.
    let command = command.clone().subcommand_value_name("COMMAND").mut_args(|arg| {
        let is_elsewhere = arg.is_global_set() && !is_main;
        arg.hide_short_help(false).hide(is_elsewhere)
    });
    let after = command.get_after_long_help().map(ToString::to_string).unwrap_or_default();
    let man = Man::new(command.clone()).title(name.to_uppercase()).source("Wagon Yard").manual("Wagon Yard");
    let mut page = Vec::new();
    man.render_title(&mut page).unwrap();
    let about = command.get_about().map(ToString::to_string).unwrap_or_default();
    page.extend(format!(".SH NAME\n{} \\- {}\n", literal(&name), literal(&about)).bytes());
    man.render_synopsis_section(&mut page).unwrap();
    man.render_options_section(&mut page).unwrap();
    if !is_main {
        page.extend(b".PP\nOptions of all commands are in \\fBwyard\\fR(1).\n");
    }
    let commands: Vec<&Command> = command.get_subcommands().filter(|one| one.get_name() != "help").collect();
    if !commands.is_empty() {
        page.extend(b".SH COMMANDS\n");
        for one in &commands {
            let about = one.get_about().map(ToString::to_string).unwrap_or_default();
            page.extend(format!(".TP\n\\fB{}\\fR(1)\n{}\n", literal(&page_name(one)), literal(&about)).bytes());
        }
    }
    page.extend(sections(&after).bytes());
    page.extend(b".SH SEE ALSO\n\\fBwyard\\fR(1), \\fBwyard\\-formats\\fR(5)\n");
    String::from_utf8(page).unwrap()
}

/// All pages by their file's name.
fn pages() -> BTreeMap<String, String> {
    let mut all = help::with_help(Args::command());
    all.build();
    let mut pages = BTreeMap::new();
    let mut waiting = vec![&all];
    while let Some(command) = waiting.pop() {
        pages.insert(format!("{}.1", page_name(command)), page(command));
        waiting.extend(command.get_subcommands().filter(|one| one.get_name() != "help"));
    }
    pages
}

#[test]
fn the_manual_pages_are_what_the_help_says() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/man");
    let files = || {
        let files = fs::read_dir(&folder).into_iter().flatten().map(|entry| entry.unwrap().path());
        files.filter(|file| file.extension().is_some_and(|e| e == "1")).collect::<Vec<_>>()
    };
    if std::env::var_os("WYARD_UPDATE_DOCS").is_some() {
        fs::create_dir_all(&folder).unwrap();
        files().iter().for_each(|file| fs::remove_file(file).unwrap());
        pages().iter().for_each(|(name, page)| fs::write(folder.join(name), page).unwrap());
    }
    let kept = files().into_iter().map(|file| {
        let name = file.file_name().unwrap().to_string_lossy().into_owned();
        (name, fs::read_to_string(file).unwrap().replace("\r\n", "\n"))
    });
    assert!(
        kept.collect::<BTreeMap<_, _>>() == pages(),
        "run WYARD_UPDATE_DOCS=1 cargo test -p wagon-yard --bin wyard"
    );
}
