//! States of both scopes through `path show`, `tidy`, `drop` and `undo`.

use std::fs;

use super::lane::{Lane, dumped};
use super::states::key;
use wagon_yard_core::store::registry::Builder;

const FOLDERS: [&str; 4] = ["one", "two", "three", "four"];

/// The lines of a state, as in [`states::STATES`], with variables in both scopes, values of several folders and of either kind.
fn random_state(random: &mut fastrand::Rng) -> Vec<String> {
    let folder = |random: &mut fastrand::Rng| match random.u32(..10) {
        0 => r"C:\states\gone".to_owned(),
        1 => r"C:\STATES\one\".to_owned(),
        2..5 => format!("%{}%", random.choice(["TOOLS", "MORE"]).unwrap()),
        5..8 => format!(r"%{}%\bin", random.choice(["T_HOME", "t_home", "NOBODY"]).unwrap()),
        _ => format!(r"C:\states\{}\bin", random.choice(FOLDERS).unwrap()),
    };
    let mut state = Vec::new();
    for mark in ["S", "U"] {
        let kind = |random: &mut fastrand::Rng| if random.u32(..4) == 0 { "=" } else { ":=" };
        for name in ["MORE", "TOOLS", "T_HOME"] {
            let value = match name {
                "T_HOME" => format!(r"C:\states\{}", random.choice(["one", "two", "three", "four", "gone"]).unwrap()),
                _ => {
                    let some: Vec<String> = (0..random.usize(1..=3))
                        .map(|_| {
                            format!(
                                r"C:\states\{}\bin",
                                random.choice(["one", "two", "three", "four", "gone"]).unwrap()
                            )
                        })
                        .collect();
                    some.join(";")
                }
            };
            if random.u32(..3) > 0 {
                state.push(format!("{mark} {name}{}{value}", kind(random)));
            }
        }
        let mut entries: Vec<String> = (0..random.usize(..=4)).map(|_| folder(random)).collect();
        if mark == "S" {
            entries.insert(0, r"C:\windows\system32;C:\windows".to_owned());
        }
        state.push(format!("{mark} Path{}{}", kind(random), entries.join(";")));
    }
    state
}

/// What a terminal runs: PATH, and of each command the file.
fn outside(lane: &Lane) -> String {
    let calls: Vec<String> = FOLDERS.iter().chain(&["all"]).map(|name| format!("call {name}")).collect();
    lane.cmd(&format!("path & {}", calls.join(" & "))).replace('\r', "")
}

fn commands(outside: &str) -> Vec<&str> {
    outside.lines().skip(1).filter(|line| !line.is_empty()).collect()
}

/// How often something was there to be done.
#[derive(Debug, Default)]
struct Count {
    tidied: usize,
    dropped: usize,
}

/// Takes a state through all steps, and says what went wrong.
fn judge(lane: &Lane, state: &[String], random: &mut fastrand::Rng, count: &mut Count) -> Vec<String> {
    let mut wrong = Vec::new();
    let mut must = |holds: bool, words: String| {
        if !holds {
            wrong.push(words);
        }
    };
    let lines: Vec<&str> = state.iter().map(String::as_str).collect();
    let user_path = state.iter().rfind(|line| line.starts_with("U Path")).unwrap();
    let [system, user] = ['S', 'U'].map(|scope| key(&lines, scope, Builder::Wine));
    fs::write(lane.folder.path().join("state.keys"), dumped(&system, &user)).unwrap();
    let (keys, wyard) = (&lane.keys, format!("\"{}\" --yard C:\\yards\\states", lane.wyard));
    let dump = |name: &str| format!("\"{keys}\" dump >{name}.keys");
    let step = |does: &str, name: &str| {
        [format!("{wyard} {does} >{name}.txt 2>&1"), format!(">{name}.code echo %ERRORLEVEL%"), dump(name)]
    };
    let set = [format!("\"{keys}\" set state.keys"), dump("before")];
    lane.run(&[&set[..], &step("path show --json", "show")].concat());
    let before = outside(lane);
    let shown: serde_json::Value = serde_json::from_str(&lane.said("show.txt")).unwrap_or_default();
    let entries =
        shown["scopes"].as_array().into_iter().flatten().flat_map(|scope| scope["entries"].as_array().unwrap());
    let folders: Vec<&str> = entries.map(|entry| entry["expanded"].as_str().unwrap()).collect();
    let path = before.lines().next().unwrap_or_default().trim_start_matches("PATH=").trim_end_matches(';');
    must(folders.join(";") == path, format!("shown {folders:?}, and a terminal has {path}"));

    lane.run(&step("path tidy", "tidy"));
    let tidied = outside(lane);
    must(lane.said("tidy.code") == "0", lane.said("tidy.txt"));
    must(commands(&before) == commands(&tidied), format!("tidied from {before} to {tidied}"));
    let of_system = |name: &str| {
        lane.said(name).lines().filter(|line| line.starts_with('S')).map(str::to_owned).collect::<Vec<_>>()
    };
    must(of_system("tidy.keys") == of_system("before.keys"), "tidying changed the system's key".to_owned());
    let undo = lane.said("tidy.keys") != lane.said("before.keys");
    count.tidied += usize::from(undo);

    // One folder of the user's, by the undone state.
    let of_user: Vec<&str> = folders.iter().copied().filter(|folder| user_path.contains(folder)).collect();
    let folder = random.choice(&of_user).map_or(r"C:\states\one\bin", |folder| folder);
    let undone = if undo { step("undo", "undone").to_vec() } else { vec![dump("undone")] };
    lane.run(&[&undone[..], &step(&format!("path drop {folder} --json"), "drop")].concat());
    must(lane.said("undone.keys") == lane.said("before.keys"), "undo of tidy does not bring the keys back".to_owned());
    if lane.said("drop.code") != "0" {
        must(
            lane.said("drop.keys") == lane.said("before.keys"),
            format!("refused, and changed: {}", lane.said("drop.txt")),
        );
        return wrong;
    }
    count.dropped += 1;
    let dropped = outside(lane);
    let report: serde_json::Value = serde_json::from_str(&lane.said("drop.txt")).unwrap_or_default();
    let meanings = report["meanings"].as_array().into_iter().flatten();
    let mut told: Vec<&str> = meanings.map(|meaning| meaning["name"].as_str().unwrap()).collect();
    told.sort_unstable();
    let differ = |name: &&str| {
        let line = |said: &str| said.lines().find(|line| line.split(' ').next() == Some(name)).map(str::to_owned);
        line(&before) != line(&dropped)
    };
    let mut seen: Vec<&str> = FOLDERS.into_iter().chain(["all"]).filter(differ).collect();
    seen.sort_unstable();
    must(
        told == seen,
        format!("dropping {folder} changes {told:?} by its report, {seen:?} in a terminal: {before}{dropped}"),
    );
    lane.run(&step("undo", "undone"));
    must(lane.said("undone.keys") == lane.said("before.keys"), "undo of drop does not bring the keys back".to_owned());
    wrong
}

#[test]
#[ignore = "needs Wine: scripts/windows-lane runs it"]
fn changes_lose_nothing_that_they_do_not_name() {
    let lane = Lane::new();
    let mut make = vec![format!("\"{}\" dump >usual.keys", lane.keys)];
    for name in FOLDERS {
        make.push(format!(r"mkdir C:\states\{name}\bin"));
        make.push(format!(r"echo @echo {name} runs >C:\states\{name}\bin\{name}.cmd"));
        make.push(format!(r"echo @echo all {name} >C:\states\{name}\bin\all.cmd"));
    }
    lane.run(&make);
    let seed = std::env::var("WYARD_TEST_SEED").ok().and_then(|seed| seed.parse().ok()).unwrap_or(60);
    let mut random = fastrand::Rng::with_seed(seed);
    let (mut wrong, mut count) = (Vec::new(), Count::default());
    for at in 0..60 {
        let state = random_state(&mut random);
        wrong.extend(
            judge(&lane, &state, &mut random, &mut count).into_iter().map(|words| format!("{at} {state:#?}: {words}")),
        );
    }
    lane.run(&[format!("\"{}\" set usual.keys", lane.keys), r"rmdir /s /q C:\states C:\yards".to_owned()]);
    println!("60 states of both scopes: {count:?}");
    assert!(count.tidied > 10 && count.dropped > 5, "{count:?}");
    assert!(wrong.is_empty(), "seed {seed}, {} wrong:\n{}", wrong.len(), wrong.join("\n\n"));
}
