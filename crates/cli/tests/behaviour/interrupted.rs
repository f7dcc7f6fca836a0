//! A process killed at any moment: the stock holds either nothing or the whole tool.

use std::fs;
use std::process::{Child, Command, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use crate::archives::{script, zip};
use crate::home::{self, Home};

const FILES: usize = 400;
const KILLS: u32 = if home::WINDOWS { 12 } else { 40 };

fn archive(home: &Home) -> String {
    let program = script("1.0");
    let names: Vec<String> = (0..FILES).map(|i| format!("t-1.0/share/f{i}")).collect();
    let content = "x".repeat(20_000);
    let mut files: Vec<(&str, &str, u32)> = names.iter().map(|n| (n.as_str(), content.as_str(), 0o644)).collect();
    let file = format!("t-1.0/bin/{}", home::program("t"));
    files.push((&file, &program, 0o755));
    zip(&home.path("t-1.0.zip"), &files).to_str().unwrap().to_owned()
}

fn quiet(mut command: Command) -> Child {
    command.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap()
}

#[test]
fn a_kill_at_any_moment_leaves_nothing_or_the_whole() {
    let home = Home::new();
    let archive = archive(&home);
    let start = Instant::now();
    home.wyard(&["receive", &archive]).ends(0);
    let whole = start.elapsed();
    let stock = home.yard().join("stock");
    let (mut nothing, mut all, mut step) = (0, 0, 0);
    // So many kills, and as many more as a busy machine needs to get to the end once.
    while step < KILLS || (all == 0 && step < 5 * KILLS) {
        fs::remove_dir_all(&stock).unwrap_or_default();
        let mut running = quiet(home.command(&["receive", &archive, "--quiet"]));
        thread::sleep(whole * step / KILLS);
        step += 1;
        running.kill().unwrap();
        running.wait().unwrap();
        let tool = stock.join("t/1.0");
        if tool.exists() {
            all += 1;
            assert_eq!(fs::read_dir(tool.join("share")).unwrap().count(), FILES);
            assert!(tool.join("bin").join(home::program("t")).exists());
        } else {
            nothing += 1;
        }
    }
    assert!(nothing > 0 && all > 0, "the kills came before and after: {nothing}, {all}");
    // What the kills left is cleared, and the next call does the whole job.
    home.wyard(&["receive", &archive, "--replace"]).ends(0);
    assert!(fs::read_dir(home.yard().join("staging")).unwrap().next().is_none());
}

#[test]
#[cfg_attr(windows, ignore = "Ctrl-C is sent as a signal, and a startup file holds the program up")]
fn ctrl_c_ends_it_and_clears_up() {
    let home = Home::new();
    home.settings("shells = [\"bash\"]\nshell_seconds = 600\n");
    home.write("home/.bashrc", "sleep 600\n");
    let archive = archive(&home);
    let mut running = quiet(home.command(&["receive", &archive, "--quiet"]));
    let staging = home.yard().join("staging");
    let until = Instant::now() + Duration::from_secs(20);
    // By the time the tool is in the stock and shells are being asked, the slow startup file holds it up.
    while !home.yard().join("terminal/path.sh").exists() && Instant::now() < until {
        thread::sleep(Duration::from_millis(10));
    }
    thread::sleep(Duration::from_millis(200));
    let pid = running.id().to_string();
    assert!(Command::new("sh").args(["-c", "kill -INT $0", &pid]).status().unwrap().success());
    assert_eq!(running.wait().unwrap().code(), Some(130));
    assert!(fs::read_dir(staging).unwrap().next().is_none());
}
