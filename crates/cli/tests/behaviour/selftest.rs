//! The test that a user runs on their own machine.

use std::fs;

use crate::home::{Home, Ran};

#[test]
fn all_of_it_holds_and_the_report_says_nothing_of_the_user() {
    let home = Home::new();
    // Its folder for temporary files is in the home, whose name is the user's.
    let own = home.path("home/ebbalund/tmp");
    fs::create_dir_all(&own).unwrap();
    // A bare name, as the README has it.
    let report = home.path("report.json");
    let before = home.files();
    // However busy the machine of the tests is.
    let mut command = home.command(&["selftest", "--minutes", "4", "--into", "report.json"]);
    command
        .envs(["TMPDIR", "TMP", "TEMP"].map(|name| (name, &own)))
        .env("USER", "ebbalund")
        .env("USERNAME", "ebbalund");
    let ran = Ran::from(command.output().unwrap());
    let text = fs::read_to_string(&report).unwrap_or_default();
    assert_eq!(ran.code, 0, "{}\n{}\n{text}", ran.out, ran.err);
    ran.says("Everything passed");
    for private in ["ebbalund", home.path("").to_str().unwrap()] {
        assert!(!text.contains(private), "{private} is in {text}");
    }
    let document: serde_json::Value = serde_json::from_str(&text).unwrap();
    #[cfg(unix)]
    crate::schemas::assert_conforms(&document);
    assert!(document["lookups"].as_array().unwrap().len() > 1, "{text}");
    assert_eq!(document["steps"].as_array().unwrap().len(), 3, "{text}");
    fs::remove_file(&report).unwrap();
    assert_eq!(home.files(), before, "nothing is left behind");
    assert!(fs::read_dir(&own).unwrap().next().is_none(), "nothing is left behind");

    let other = home.write("notes.txt", "the user's");
    home.wyard(&["selftest", "--into", other.to_str().unwrap()]).ends(2).says("not a report of 'wyard selftest'");
    assert_eq!(fs::read_to_string(other).unwrap(), "the user's");
}

#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "only there the folder can be named so")]
fn a_folder_in_which_nothing_can_be_tried_is_refused() {
    let home = Home::new();
    let odd = home.path("a:b");
    fs::create_dir(&odd).unwrap();
    let output = home.command(&["selftest"]).env("TMPDIR", &odd).output().unwrap();
    Ran::from(output).ends(4).says("a character that shells take for something else").says("TMPDIR");
}
