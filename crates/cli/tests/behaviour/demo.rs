//! The demo, as the README tells a newcomer to run it.

use std::process::Command;

use wagon_yard_core::registry::RegistryPlaces;

use crate::home::{Home, Ran, WINDOWS};

#[test]
fn the_demo_comes_out_as_it_should_and_touches_nothing_else() {
    let home = Home::new();
    let temporary = home.path("tmp");
    std::fs::create_dir(&temporary).unwrap();
    let before = home.files();
    let mut command = home.command(&["demo"]);
    for name in ["TMPDIR", "TMP", "TEMP"] {
        command.env(name, &temporary);
    }
    let ran = Ran::from(command.output().unwrap()).ends(0);
    ran.says("tidelog 3.9").says("tidelog 4.2.1").says("Every step came out as it should.");
    assert_eq!(home.files(), before);
    assert!(std::fs::read_dir(&temporary).unwrap().next().is_none(), "the sandbox is gone");

    let kept = home.path("kept");
    home.wyard(&["demo", "--keep", kept.to_str().unwrap()]).ends(0).says("The sandbox stays in");
    let mut command = Command::new(env!("CARGO_BIN_EXE_wyard"));
    command.args(["--sandbox", kept.to_str().unwrap(), "check"]);
    // The system's own sort comes before coastkit's where the system's PATH comes first.
    let ran = Ran::from(command.output().unwrap()).says("coastkit").says("tidelog");
    assert!(WINDOWS || ran.code == 0, "{}", ran.out);
    home.wyard(&["demo", "--keep", kept.to_str().unwrap()]).ends(2).says("exists already");
    if WINDOWS {
        RegistryPlaces::of(Some(&kept)).remove_sandbox().unwrap();
    }
}
