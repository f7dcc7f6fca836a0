//! Folders that are in place already: adopted, moved, searched for.

use std::fs;

use wagon_yard_core::os;

use crate::archives::script;
use crate::home::{Home, WINDOWS, program};

/// A tool copied by hand, in a folder of the home.
fn by_hand(home: &Home, folder: &str, name: &str, version: &str) -> String {
    let file = home.write(&format!("{folder}/bin/{}", program(name)), script(version));
    os::set_mode(&fs::File::open(&file).unwrap(), 0o755).unwrap();
    home.write(&format!("{folder}/README"), "read");
    home.path(folder).to_str().unwrap().to_owned()
}

#[test]
fn a_folder_in_place_is_adopted_and_given_back() {
    let home = Home::new();
    let neap = by_hand(&home, "home/tools/neap-2.1", "neap", "2.1");
    let before = home.files();
    home.wyard(&["adopt", "--search"]).ends(0).says("neap 2.1").says("wyard adopt");
    home.wyard(&["adopt", &neap, "--dry-run"]).ends(0).says("Dry run: nothing was changed");
    let bin = home.path("home/tools/neap-2.1/bin").to_string_lossy().into_owned();
    for (given, ends) in [("bin", 0), (&bin, 0), ("sbin", 2)] {
        home.wyard(&["adopt", &neap, "--dry-run", "--command-folder", given]).ends(ends);
    }
    assert_eq!(home.files(), before);
    home.wyard(&["adopt", &neap]).ends(0).says("stays in").says("good");
    assert!(home.fresh("neap").contains("neap 2.1"));
    assert!(!home.wyard(&["adopt", "--search"]).ends(0).out.contains("neap"));
    assert!(!home.wyard(&["stock"]).ends(0).out.contains("not of the yard"));
    home.wyard(&["adopt", &neap]).ends(2).says("is already recorded as neap@2.1");
    home.wyard(&["retire", "neap"]).ends(0).says("adopted folder stays in place");
    assert_eq!(home.files(), before);
    // Moved into the yard it is one of the stock, and an undo brings it back to where it was.
    home.wyard(&["adopt", &neap, "--move"]).ends(0).says("moved to");
    assert!(!home.path("home/tools/neap-2.1").exists());
    home.wyard(&["check", "neap"]).ends(0);
    home.wyard(&["undo"]).ends(0);
    assert_eq!(home.files(), before);
}

#[test]
fn what_is_no_tool_is_not_adopted() {
    let home = Home::new();
    home.write("home/tools/empty-1.0/README", "x");
    let text = |relative: &str| home.path(relative).to_str().unwrap().to_owned();
    home.wyard(&["adopt", &text("home/tools/empty-1.0")]).ends(3).says("no commands");
    home.wyard(&["adopt", &text("home/nothing")]).ends(2).says("no such folder");
    home.wyard(&["adopt"]).ends(2);
    let unnamed = by_hand(&home, "home/tools/gauge", "gauge", "1.5");
    // The folder's name tells no version; the command does, where a seal lets it be asked.
    match WINDOWS {
        true => home.wyard(&["adopt", &unnamed, "--version", "1.5"]).ends(0).says("gauge 1.5"),
        false => home.wyard(&["adopt", &unnamed]).ends(0).says("gauge 1.5"),
    };
    let yard = home.yard();
    home.wyard(&["adopt", &unnamed, "--move"]).ends(2);
    home.wyard(&["adopt", yard.to_str().unwrap()]).ends(3);
}

#[test]
#[cfg_attr(windows, ignore = "what is registered already stands in startup files here")]
fn what_is_registered_already_is_not_registered_twice() {
    let home = Home::new();
    let neap = by_hand(&home, "home/tools/neap-2.1", "neap", "2.1");
    let lines = format!("export NEAP_HOME={neap}\nPATH=$NEAP_HOME/bin:$PATH\n");
    home.write("home/.profile", &lines);
    home.write("home/.bashrc", &lines);
    let before = home.files();
    home.wyard(&["adopt", &neap]).ends(0).says("already registered; no changes").says("good");
    assert_eq!(home.files(), before);
    home.wyard(&["check", "neap"]).ends(0);
    // In a place that gets cleaned the remedy is to move it.
    let home = Home::new();
    let neap = by_hand(&home, "home/Downloads/neap-2.1", "neap", "2.1");
    home.wyard(&["adopt", &neap]).ends(0).says("[cleaned-place]").says("--move");
}
