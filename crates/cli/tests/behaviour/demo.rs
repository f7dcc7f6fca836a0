//! The demo, as the README tells a newcomer to run it.

use crate::home::{Home, Ran};

#[test]
fn the_demo_comes_out_as_it_should_and_touches_nothing_else() {
    let home = Home::new(&["bash"]);
    let temporary = home.path("tmp");
    std::fs::create_dir(&temporary).unwrap();
    let before = home.files();
    let mut command = home.command(&["demo"]);
    let ran = Ran::from(command.env("TMPDIR", &temporary).output().unwrap()).ends(0);
    ran.says("tidelog 3.9").says("tidelog 4.2.1").says("Every step came out as it should.");
    assert_eq!(home.files(), before);
    assert!(std::fs::read_dir(&temporary).unwrap().next().is_none(), "the sandbox is gone");

    let kept = home.path("kept");
    home.wyard(&["demo", "--keep", kept.to_str().unwrap()]).ends(0).says("The sandbox stays in");
    home.wyard(&["--sandbox", kept.to_str().unwrap(), "check"]).ends(0).says("coastkit");
    home.wyard(&["demo", "--keep", kept.to_str().unwrap()]).ends(2).says("exists already");
}
