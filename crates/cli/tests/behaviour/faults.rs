//! Faults at every step and kills at any moment: the machine is as before or as after, never between.

use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};

use crate::archives::tidelog;
use crate::home::{Home, Ran, WINDOWS, thorough};
use crate::reliability::{lossy, state};

/// A home with two versions of a tool, a folder of the user's own in PATH, and startup files that others have written.
struct Scene {
    home: Home,
    kept: tempfile::TempDir,
}

impl Scene {
    fn new() -> Self {
        let home = Home::new();
        if !WINDOWS {
            home.write("home/.bashrc", "# mine\nalias ll='ls -l'");
            home.write("home/.profile", b"PATH=$HOME/first:$HOME/second:$PATH # \xff\xfe\n");
        }
        for folder in ["first", "second", "gone", "third"] {
            home.write(&format!("home/{folder}/{folder}"), "x");
        }
        home.wyard(&["receive", &tidelog(&home, "4.1.0")]).ends(0);
        home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
        home.wyard(&["path", "add", home.path("home/gone").to_str().unwrap()]).ends(0);
        fs::remove_dir_all(home.path("home/gone")).unwrap();
        let scene = Self { home, kept: tempfile::tempdir().unwrap() };
        scene.copy(&scene.home.path("home"), &scene.kept.path().join("home"));
        scene
    }

    fn copy(&self, from: &Path, to: &Path) {
        if to.exists() {
            fs::remove_dir_all(to).unwrap();
        }
        let done = Command::new("cp").arg("-a").args([from, to]).status().unwrap();
        assert!(done.success());
    }

    fn restore(&self) {
        self.copy(&self.kept.path().join("home"), &self.home.path("home"));
    }

    /// The program, with a fault planned.
    fn wyard(&self, arguments: &[&str], fault: &str) -> Ran {
        Ran::from(self.home.command(arguments).env("WYARD_FAULT", fault).output().unwrap())
    }
}

/// Runs a command with a fault at every step, and then another: the machine is as before or as after, never between.
/// Gives the number of faults.
fn faults(prepare: &[&str], arguments: &[&str]) -> u32 {
    let scene = Scene::new();
    let tidelog_5 = tidelog(&scene.home, "5.0.0");
    let place = |word: &str| match word {
        "ARCHIVE" => tidelog_5.clone(),
        word if word.starts_with("home/") => scene.home.path(word).to_string_lossy().into_owned(),
        word => word.to_owned(),
    };
    let arguments: Vec<String> = arguments.iter().map(|word| place(word)).collect();
    let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
    if !prepare.is_empty() {
        scene.home.wyard(prepare).ends(0);
        scene.copy(&scene.home.path("home"), &scene.kept.path().join("home"));
    }
    let before = state(&scene.home);
    scene.home.wyard(&arguments).ends(0);
    let after = state(&scene.home);
    assert_ne!(before, after, "{arguments:?} does something");
    let (mut made, mut settled) = (0, 0);
    for kind in ["fail", "die"] {
        for step in 1.. {
            scene.restore();
            let ran = scene.wyard(&arguments, &format!("{kind}:{step}"));
            if ran.code == 0 {
                assert!(state(&scene.home) == after, "{arguments:?} {kind}:{step}");
                break;
            }
            made += 1;
            if kind == "fail" {
                assert_eq!(ran.code, 4, "{arguments:?} {kind}:{step}\n{}", ran.err);
                assert!(state(&scene.home) == before, "{arguments:?} {kind}:{step}: a failure takes everything back");
            } else if step % 3 == 0 {
                // Whoever settles it can be killed as well.
                scene.wyard(&["stock", "--mend"], &format!("die:{}", step % 7 + 1));
            }
            let told = scene.home.wyard(&["stock", "--mend"]).ends(0);
            settled += u32::from(told.err.contains("was interrupted ("));
            let now = state(&scene.home);
            assert!(now == before || now == after, "{arguments:?} {kind}:{step}\n{}{}\n{now:#?}", ran.err, told.err);
            // It is settled: nobody is told again.
            assert!(scene.home.wyard(&["stock", "--no-run"]).ends(0).err.is_empty());
            assert!(scene.home.wyard(&["history"]).ends(0).out.lines().all(|line| !line.contains("not finished")));
        }
    }
    assert!(settled > 2, "what was found is said");
    made
}

macro_rules! faulted {
    ($($name:ident: $prepare:expr, $arguments:expr;)*) => {
        $(
            #[test]
            #[cfg_attr(windows, ignore = "the registry has a test of its own")]
            fn $name() {
                let made = faults(&$prepare, &$arguments);
                eprintln!("{}: {made} faults", stringify!($name));
                assert!(made > 8, "{made}");
            }
        )*
    };
}

faulted! {
    a_fault_at_every_step_of_receive: [], ["receive", "ARCHIVE"];
    a_fault_at_every_step_of_register: ["unregister", "tidelog"], ["register", "tidelog@4.1.0"];
    a_fault_at_every_step_of_switch: [], ["switch", "tidelog", "4.1.0"];
    a_fault_at_every_step_of_path_move: [], ["path", "move", "home/second", "--before", "home/first"];
    a_fault_at_every_step_of_tidy: [], ["path", "tidy"];
    a_fault_at_every_step_of_undo: [], ["undo", "2"];
    a_fault_at_every_step_of_retire: [], ["retire", "tidelog@4.2.1"];
}

#[test]
#[cfg_attr(not(windows), ignore = "this system has no registry")]
fn a_fault_at_every_step_leaves_the_registry_whole() {
    let home = Home::new();
    for folder in ["first", "second"] {
        home.write(&format!("home/{folder}/{folder}.cmd"), "@echo x\r\n");
    }
    let (first, second) = (home.path("home/first"), home.path("home/second"));
    let (first, second) = (first.to_str().unwrap(), second.to_str().unwrap());
    let (old, new) = (tidelog(&home, "4.1.0"), tidelog(&home, "4.2.1"));
    home.wyard(&["receive", &old]).ends(0);
    home.wyard(&["path", "add", first]).ends(0);
    home.wyard(&["path", "add", second]).ends(0);
    let commands: [&[&str]; 5] = [
        &["receive", &new],
        &["unregister", "tidelog"],
        &["path", "move", first, "--before", second],
        &["retire", "tidelog@4.1.0"],
        &["undo", "1"],
    ];
    for command in commands {
        let before = state(&home);
        home.wyard(command).ends(0);
        let after = state(&home);
        assert_ne!(before, after, "{command:?}");
        let take_back = || {
            let changes = home.wyard(&["history", "--json"]).ends(0).json();
            let last = changes["changes"].as_array().unwrap().iter().find(|change| change["state"] == "done").unwrap();
            home.wyard(&["undo", &last["id"].to_string()]).ends(0);
        };
        take_back();
        assert!(state(&home) == before, "{command:?} is undone");
        for step in 1.. {
            let ran = Ran::from(home.command(command).env("WYARD_FAULT", format!("die:{step}")).output().unwrap());
            if ran.code == 0 {
                break;
            }
            home.wyard(&["stock", "--mend"]).ends(0);
            let now = state(&home);
            assert!(now == before || now == after, "{command:?} die:{step}\n{:#?}", lossy(&now));
            if now == after {
                take_back();
            }
        }
        take_back();
    }
}

#[test]
#[cfg_attr(windows, ignore = "it is killed as Unix kills")]
fn killed_at_any_moment_it_is_before_or_after() {
    let scene = Scene::new();
    let archive = tidelog(&scene.home, "5.0.0");
    let before = state(&scene.home);
    let start = std::time::Instant::now();
    scene.home.wyard(&["receive", &archive]).ends(0);
    let took = start.elapsed();
    let after = state(&scene.home);
    let mut random = fastrand::Rng::with_seed(7);
    let (mut as_before, mut as_after) = (0, 0);
    let rounds = if thorough() { 200 } else { 50 };
    for round in 0..rounds {
        scene.restore();
        let mut child =
            scene.home.command(&["receive", &archive]).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        std::thread::sleep(took.mul_f64(random.f64()));
        child.kill().unwrap();
        child.wait().unwrap();
        scene.home.wyard(&["stock", "--mend"]).ends(0);
        let now = state(&scene.home);
        match (now == before, now == after) {
            (true, _) => as_before += 1,
            (_, true) => as_after += 1,
            _ => panic!("round {round}: {:#?}", lossy(&now)),
        }
    }
    eprintln!("killed {rounds} times: {as_before} as before, {as_after} as after");
    assert!(as_before > 0 && as_after > 0);
}
