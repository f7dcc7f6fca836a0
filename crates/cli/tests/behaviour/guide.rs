//! The guide of this system, run from its first line to its last. `SNAPSHOTS=overwrite cargo test` writes the outputs anew.

use std::fs;
use std::path::Path;

use regex::Regex;

use crate::archives::tidelog;
use crate::home::{Home, WINDOWS};

#[test]
fn the_guide_shows_what_its_commands_print() {
    let home = Home::new();
    for version in ["4.2.1", "4.1.0"] {
        tidelog(&home, version);
    }
    let name = if WINDOWS { "guide-windows.md" } else { "guide.md" };
    let page = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs").join(name);
    let kept = fs::read_to_string(&page).unwrap().replace("\r\n", "\n");
    let (mut written, mut in_console) = (String::new(), false);
    let mut commands = 0;
    for line in kept.lines() {
        let ends = in_console && line == "```";
        in_console = if in_console { !ends } else { line == "```console" };
        let Some(call) = line.strip_prefix("$ wyard ").filter(|_| in_console) else {
            if !in_console || line == "```console" {
                written.push_str(&format!("{line}\n"));
            }
            continue;
        };
        if !written.ends_with("```console\n") {
            written.push('\n');
        }
        let words = shell_words::split(call).unwrap();
        let ran = home.wyard(&words.iter().map(String::as_str).collect::<Vec<_>>());
        written.push_str(&format!("{line}\n{}", plain(&home, &(ran.out + &ran.err))));
        commands += 1;
    }
    assert!(commands > 10, "{commands}");
    if std::env::var_os("SNAPSHOTS").is_some_and(|action| action == "overwrite") {
        fs::write(&page, &written).unwrap();
    }
    snapbox::assert_data_eq!(written, snapbox::Data::read_from(&page, None).raw());
}

/// The lines of the README's consoles that call the program. Those that build it, and those of other systems, cannot be run here;
/// a checksum that is not whole is left out.
#[test]
#[cfg_attr(windows, ignore = "the lines are typed into a shell of Unix")]
fn the_lines_of_the_readme_can_be_run() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    let named = home.path("home/Downloads/tidelog-4.2.1-linux-x64.tar.gz");
    fs::create_dir_all(named.parent().unwrap()).unwrap();
    fs::copy(archive, named).unwrap();
    let page = fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../README.md")).unwrap();
    let (mut in_console, mut calls) = (false, 0);
    let cut = Regex::new(" --sha256 [0-9a-f]+…").unwrap();
    for line in page.lines() {
        in_console = if in_console { line != "```" } else { line == "```console" };
        let Some(call) = line.strip_prefix("wyard ").filter(|_| in_console) else { continue };
        let call = call.split(" #").next().unwrap();
        let call = cut.replace(call, "").replace('~', home.path("home").to_str().unwrap());
        let words = shell_words::split(&call).unwrap();
        home.wyard(&words.iter().map(String::as_str).collect::<Vec<_>>()).ends(0);
        calls += 1;
    }
    assert!(calls > 2, "{calls}");
    // What is asked of everybody in the text.
    assert!(page.contains("`wyard selftest --into selftest.json`"), "selftest.rs calls it so");
}

/// Without what differs from run to run.
fn plain(home: &Home, text: &str) -> String {
    let folder = home.path("").to_string_lossy().trim_end_matches(['/', '\\']).to_owned();
    // On Windows every call names the test's folder.
    let text = text.replace(&format!("--sandbox {folder} "), "").replace("--unsealed ", "").replace('\r', "");
    let text = text.replace(&folder, if WINDOWS { r"C:\Users\keeper" } else { "/home/keeper" });
    let time = Regex::new("[0-9]{4}-[0-9]{2}-[0-9]{2} [0-9:]{8} UTC").unwrap();
    let took = Regex::new(", [0-9]+ ms").unwrap();
    took.replace_all(&time.replace_all(&text, "2026-11-27 09:00:00 UTC"), ", 2 ms").into_owned()
}
