//! Tools that need more than their archive: settings, launchers, further archives; and a delivery that is killed.

use std::fs;
use std::path::PathBuf;
use std::process::Stdio;
use std::thread;
use std::time::{Duration, Instant};

use crate::archives::{script, zip};
use crate::home::{Home, WINDOWS, program};

/// An interpreter that tells its arguments, each in brackets, and ends with 7; of a version question it tells the file's. On
/// Windows it tells them as they were quoted.
fn interpreter() -> &'static str {
    if WINDOWS {
        "@echo off\r\nif \"%~2\"==\"--version\" goto told\r\nif \"%~1\"==\"--version\" goto own\r\n:next\r\n\
         if \"%~1\"==\"\" exit /b 7\r\necho [%1]\r\nshift\r\ngoto next\r\n\
         :told\r\ntype %1\r\nexit /b 0\r\n:own\r\necho drift 1.1\r\nexit /b 0\r\n"
    } else {
        "#!/bin/sh\ncase $1 in --version) echo drift 1.1; exit;; esac\ncase $2 in --version) cat \"$1\"; exit;; esac\n\
         for a; do echo \"[$a]\"; done\nexit 7\n"
    }
}

/// An argument that a launcher adds. Wine's `cmd` expands a `%` again where the interpreter is a batch file.
const THIRD: &str = if WINDOWS { "50 & a" } else { "50% & a" };

const SAMPLE: &str = "; where the readings lie\r\n;data = /var/tide\r\nstation = harbour\r\n";

/// tidelog with a sample of settings and a path in its program.
fn tidelog(home: &Home, version: &str, sample: &str) -> PathBuf {
    let bin = format!("tidelog-{version}/bin/{}", program("tidelog"));
    let text = script(version) + if WINDOWS { "rem /opt/tide\r\n" } else { "# /opt/tide\n" };
    let conf = format!("tidelog-{version}/conf/tidelog.ini.sample");
    zip(&home.path(&format!("tidelog-{version}.zip")), &[(&bin, text.as_str(), 0o755), (&conf, sample, 0o644)])
}

fn waybill(home: &Home, version: &str) -> String {
    let text = format!(
        r#"waybill = 1

[[tool]]
name = "tidelog"
version = "{version}"
requires = {{ tools = ["drift"] }}
probe = {{ status = 7 }}
source = [{{ file = "tidelog-{version}.zip", with = [{{ file = "extras.zip" }}] }}]

[[tool.prepare]]
copy = "conf/tidelog.ini.sample"
to = "conf/tidelog.ini"

[[tool.prepare]]
file = "conf/tidelog.ini"
set = {{ key = "data", value = "{{home:drift}}" }}

[[tool.prepare]]
file = "bin/{tidelog}"
replace = "/opt/tide"
by = "{{home}}"

[[tool]]
name = "tidetable"
version = "1.3"
requires = {{ tools = ["drift"] }}
probe = {{ status = 7 }}
source = [{{ file = "tidetable-1.3.zip" }}]

[[tool.launcher]]
command = "tidetable"
runs = ["{{variable:DRIFT_HOME}}/bin/drift", "{{home}}/lib/t.class", "{third}"]

[[tool]]
name = "drift"
version = "1.1"
source = [{{ file = "drift-1.1.zip" }}]
"#,
        tidelog = program("tidelog"),
        third = THIRD,
    );
    home.write(&format!("office-{version}.toml"), text).to_str().unwrap().to_owned()
}

/// A home with the downloads of three tools.
fn office() -> Home {
    let home = Home::new();
    for (version, sample) in [("4.2.1", SAMPLE), ("4.3.0", SAMPLE), ("5.0.0", "; new\r\n;data =\r\n")] {
        tidelog(&home, version, sample);
    }
    zip(&home.path("extras.zip"), &[("extras/lib/moon.dat", "moon", 0o644)]);
    zip(&home.path("tidetable-1.3.zip"), &[("tidetable-1.3/lib/t.class", "tidetable 1.3", 0o644)]);
    zip(&home.path("drift-1.1.zip"), &[(&format!("drift-1.1/bin/{}", program("drift")), interpreter(), 0o755)]);
    home
}

/// The home of a tool.
fn stock(home: &Home, name: &str, version: &str) -> PathBuf {
    home.yard().join("stock").join(name).join(version)
}

fn settings(home: &Home, version: &str) -> PathBuf {
    home.yard().join("stock/tidelog").join(version).join("conf/tidelog.ini")
}

#[test]
fn settings_are_prepared_and_go_on_to_the_next_version() {
    let home = office();
    let before = home.files();
    let (first, next, last) = (waybill(&home, "4.2.1"), waybill(&home, "4.3.0"), waybill(&home, "5.0.0"));
    let drift = stock(&home, "drift", "1.1");
    home.wyard(&["deliver", &first, "--dry-run"]).ends(0).says("write conf/tidelog.ini").says("+data = ");
    home.wyard(&["deliver", &first]).ends(0).says("conf/tidelog.ini written").says("to undo all of it: wyard undo 1");
    let told = |version: &str| fs::read_to_string(settings(&home, version)).unwrap();
    let prepared = SAMPLE.replace("/var/tide\r\n", &format!("/var/tide\r\ndata = {}\r\n", drift.display()));
    assert_eq!(told("4.2.1"), prepared);
    let folder = stock(&home, "tidelog", "4.2.1");
    let text = fs::read_to_string(folder.join("bin").join(program("tidelog"))).unwrap();
    assert!(text.contains(&*folder.to_string_lossy()) && !text.contains("/opt/tide"), "{text}");
    assert_eq!(fs::read(folder.join("lib/moon.dat")).unwrap(), b"moon");
    home.wyard(&["deliver", &first]).ends(0).says("nothing to do");

    // A draft gives the same on another machine.
    let other = Home::new();
    let draft = other.write("draft.toml", home.wyard(&["draft"]).ends(0).out);
    other.wyard(&["deliver", draft.to_str().unwrap()]).ends(0);
    let there = fs::read_to_string(settings(&other, "4.2.1")).unwrap();
    assert_eq!(
        there.replace(other.yard().to_str().unwrap(), "Y"),
        prepared.replace(home.yard().to_str().unwrap(), "Y")
    );
    assert_eq!(other.wyard(&["draft"]).ends(0).out, home.wyard(&["draft"]).ends(0).out);

    // A setting that the waybill names is set again; the others are the user's.
    fs::write(
        settings(&home, "4.2.1"),
        prepared.replace("harbour", "pier").replace("\r\ndata = ", "\r\ndata = /mine "),
    )
    .unwrap();
    home.wyard(&["deliver", &first, "--verify"]).ends(1).says("differs  tidelog 4.2.1: prepare").says("-data = /mine");
    home.wyard(&["deliver", &first]).ends(0).says("conf/tidelog.ini changed");
    let pier = prepared.replace("harbour", "pier");
    assert_eq!(told("4.2.1"), pier);
    home.wyard(&["undo"]).ends(0);
    assert!(told("4.2.1").contains("/mine"));
    home.wyard(&["deliver", &first]).ends(0);

    home.wyard(&["deliver", &next]).ends(0).says("conf/tidelog.ini taken over with your edits");
    assert_eq!(told("4.3.0"), pier);
    home.wyard(&["deliver", &last]).ends(0).says("your edits to conf/tidelog.ini not taken over: its sample differs");
    assert!(told("5.0.0").starts_with("; new\r\n;data =\r\ndata = "));
    fs::write(settings(&home, "4.3.0"), pier.replace("pier", "quay")).unwrap();
    home.wyard(&["switch", "tidelog", "4.3.0"]).ends(0);
    home.wyard(&["switch", "tidelog", "4.2.1"]).ends(0).says("edited in both versions");
    assert_eq!(told("4.2.1"), pier);

    // Everything goes back, each delivery by its number.
    let report = home.wyard(&["history", "--json"]).ends(0).json();
    let changes = report["changes"].as_array().unwrap();
    let deliveries = changes.iter().filter(|change| change["does"].as_str().unwrap().starts_with("deliver "));
    let switches = changes.iter().filter(|change| change["does"].as_str().unwrap().starts_with("switch "));
    for change in switches.chain(deliveries).filter(|change| change["undone"] == false) {
        home.wyard(&["undo", &change["id"].to_string()]).ends(0);
    }
    assert_eq!(home.files(), before);
    home.wyard(&["stock"]).ends(0).says("No tools yet.");
}

#[test]
fn a_launcher_passes_on_arguments_and_the_exit_code() {
    let home = office();
    home.wyard(&["deliver", &waybill(&home, "4.2.1"), "--only", "tidetable"]).ends(0).says("tidetable 1.3");
    let class = stock(&home, "tidetable", "1.3").join("lib").join("t.class");
    let (line, end) = match WINDOWS {
        true => ("tidetable x plain", " & call echo end %^ERRORLEVEL%"),
        false => ("tidetable 'x y' 'it'\\''s \"$HOME\"'", "; echo end $?"),
    };
    let told = home.fresh(&format!("{line}{end}")).replace("launchers\\..\\", "");
    let expected = match WINDOWS {
        true => format!("[\"{}\"]\n[\"{THIRD}\"]\n[x]\n[plain]\nend 7\n", class.display()),
        false => format!("[{}]\n[{THIRD}]\n[x y]\n[it's \"$HOME\"]\nend 7\n", class.display()),
    };
    assert_eq!(told, expected);
    // Without the variable PATH counts, and without both it says what is missing.
    let hide = if WINDOWS { "set DRIFT_HOME=&& tidetable a" } else { "unset DRIFT_HOME; tidetable a" };
    assert!(home.fresh(hide).contains("[a]"));
    let nowhere =
        if WINDOWS { "set DRIFT_HOME=C:\\nowhere&& tidetable a 2>&1" } else { "DRIFT_HOME=/nowhere tidetable a 2>&1" };
    assert!(home.fresh(nowhere).contains("tidetable: cannot find drift; set DRIFT_HOME"));
    let text = home.wyard(&["draft"]).ends(0).out;
    assert!(text.contains("[[tool.launcher]]") && text.contains(THIRD), "{text}");
}

#[test]
fn a_lone_file_for_an_interpreter_gets_a_launcher() {
    let home = Home::new();
    let jar = zip(&home.path("buoy-3.1.jar"), &[("META-INF/MANIFEST.MF", "Main-Class: Buoy\n", 0o644)]);
    let jar = jar.to_str().unwrap();
    home.wyard(&["inspect", jar]).ends(0).says("buoy").says("3.1");
    home.wyard(&["receive", jar, "--no-run", "--quiet"]);
    let home_folder = home.yard().join("stock/buoy/3.1");
    assert_eq!(fs::read(home_folder.join("buoy-3.1.jar")).unwrap(), fs::read(jar).unwrap());
    let launcher = fs::read_to_string(home_folder.join("launchers").join(program("buoy"))).unwrap();
    assert!(launcher.contains("-jar") && launcher.contains("JAVA_HOME"), "{launcher}");
    let report = home.wyard(&["stock", "--json"]).json();
    assert_eq!(report["tools"][0]["commands"][0], "buoy", "{report}");
}

#[test]
fn further_archives_lie_over_the_same_root_or_are_refused() {
    let home = office();
    let main = home.path("tidelog-4.2.1.zip").to_str().unwrap().to_owned();
    let with = |name: &str, files: &[(&str, &str, u32)]| zip(&home.path(name), files).to_str().unwrap().to_owned();
    let sample = ("tidelog-4.2.1/conf/tidelog.ini.sample", SAMPLE, 0o644);
    let same = with("tidelog-data-4.2.1.zip", &[sample, ("tidelog-4.2.1/share/a", "1", 0o644)]);
    let part = with("more.zip", &[("plugins/tide/p", "1", 0o644)]);
    for (name, files) in [
        ("other.zip", [("conf/tidelog.ini.sample", "another", 0o644)]),
        ("below.zip", [("conf/tidelog.ini.sample/x", "1", 0o644)]),
    ] {
        let other = with(name, &files);
        home.wyard(&["receive", &main, "--with", &other]).ends(3).says("contains another conf");
        assert!(!home.yard().join("stock/tidelog").exists());
    }
    home.wyard(&["receive", &main, "--with", &same, "--with", &part]).ends(0);
    let folder = stock(&home, "tidelog", "4.2.1");
    assert!(folder.join("share/a").is_file() && folder.join("plugins/tide/p").is_file());
    let text = home.wyard(&["draft"]).ends(0).out;
    assert!(text.contains("more.zip"), "{text}");
}

#[test]
fn what_cannot_be_prepared_changes_nothing() {
    let home = office();
    let before = home.files();
    let head = "waybill = 1\n\n[[tool]]\nname = \"tidelog\"\nversion = \"4.2.1\"\nsource = [{ file = \"tidelog-4.2.1.zip\" }]\n";
    for (steps, code, told) in [
        ("prepare = [{ copy = \"conf/none\", to = \"conf/x\" }]", 1, "conf/none: no such file in the tool"),
        (
            "prepare = [{ file = \"conf/tidelog.ini.sample\", replace = \"zz\", by = \"\" }]",
            1,
            "occurs 0 times; expected once",
        ),
        ("prepare = [{ file = \"../x\", write = \"\" }]", 3, "\"../x\" is not a path inside the tool"),
        ("prepare = [{ file = \"x\", write = \"{home:drift}\" }]", 3, "needs drift in requires.tools"),
        ("prepare = [{ copy = \"x\" }]", 3, "a prepare step needs one of"),
        ("launcher = [{ command = \"a/b\", runs = [\"x\"] }]", 3, "\"a/b\" is not a command name"),
        ("launcher = [{ command = \"a\", runs = [] }]", 3, "runs is empty"),
    ] {
        let file = home.write("w.toml", format!("{head}{steps}\n"));
        let ran = home.wyard(&["deliver", file.to_str().unwrap()]).ends(code);
        assert!(format!("{}{}", ran.out, ran.err).contains(told), "{steps}\n{}{}", ran.out, ran.err);
    }
    assert_eq!(home.files(), before);
    assert!(!home.yard().join("stock/tidelog").exists());
}

/// How many random waybills are delivered and killed.
fn many() -> u64 {
    let set = std::env::var("WYARD_TEST_WAYBILLS").ok().and_then(|number| number.parse().ok());
    set.unwrap_or(if WINDOWS { 1 } else { 6 })
}

/// A waybill of some of the tools, which require each other at random, with steps and launchers at random.
fn random_waybill(home: &Home, random: &mut fastrand::Rng) -> String {
    let mut text = "waybill = 1\n".to_owned();
    let tools = ["neap", "ebb", "flood", "spring", "bore"];
    let count = random.usize(1..=tools.len());
    for (at, name) in tools.iter().take(count).enumerate() {
        let version = if random.bool() { "1.0" } else { "2.0" };
        let requires: Vec<String> =
            tools[..at].iter().filter(|_| random.u8(..3) == 0).map(|t| format!("\"{t}\"")).collect();
        text += &format!(
            "\n[[tool]]\nname = \"{name}\"\nversion = \"{version}\"\nrequires = {{ tools = [{}] }}\n\
             source = [{{ file = \"{name}-{version}.zip\" }}]\n",
            requires.join(", ")
        );
        if random.bool() {
            text += "home_variables = []\n";
        }
        for step in [
            "copy = \"conf.sample\"\nto = \"conf\"\n",
            "file = \"new.ini\"\nwrite = \"{home}\"\n",
            "file = \"conf.sample\"\nset = { key = \"a\", value = \"{version}\" }\n",
        ] {
            if random.bool() {
                text += &format!("\n[[tool.prepare]]\n{step}");
            }
        }
        if random.bool() {
            text += &format!(
                "\n[[tool.launcher]]\ncommand = \"{name}-too\"\nruns = [\"{{home}}/bin/{}\"]\n",
                program(name)
            );
        }
    }
    home.write(&format!("w{}.toml", random.u32(..)), text).to_str().unwrap().to_owned()
}

/// Delivers a waybill and kills that after a while, or lets it end.
fn killed(home: &Home, waybill: &str, after: Duration) {
    let mut running =
        home.command(&["deliver", waybill, "--quiet"]).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    let until = Instant::now() + after;
    while Instant::now() < until && running.try_wait().unwrap().is_none() {
        thread::sleep(Duration::from_millis(2));
    }
    let _ = running.kill();
    running.wait().unwrap();
}

#[test]
fn random_waybills_survive_kills_and_go_back_to_the_byte() {
    let home = Home::with(&[if WINDOWS { "cmd" } else { "dash" }]);
    if !WINDOWS {
        home.write("home/.profile", "# mine\nexport X=1");
    }
    for name in ["neap", "ebb", "flood", "spring", "bore"] {
        for version in ["1.0", "2.0"] {
            let file = format!("{name}-{version}/bin/{}", program(name));
            let sample = format!("{name}-{version}/conf.sample");
            let target = home.path(&format!("{name}-{version}.zip"));
            zip(&target, &[(file.as_str(), script(version).as_str(), 0o755), (&sample, "a = 0\nb = 1\n", 0o644)]);
        }
    }
    let seed =
        std::env::var("WYARD_TEST_SEED").ok().and_then(|seed| seed.parse().ok()).unwrap_or_else(|| fastrand::u64(..));
    eprintln!("WYARD_TEST_SEED={seed}");
    let mut random = fastrand::Rng::with_seed(seed);
    let before = (home.files(), home.registry(wagon_yard_core::scope::Scope::User));
    let longest = {
        let start = Instant::now();
        home.wyard(&["deliver", &random_waybill(&home, &mut random)]).ends(0);
        start.elapsed()
    };
    for round in 0..many() {
        let waybill = random_waybill(&home, &mut random);
        for _ in 0..random.usize(1..=2) {
            killed(&home, &waybill, longest.mul_f64(random.f64()));
        }
        home.wyard(&["deliver", &waybill, "--retire-others"]).ends(0);
        home.wyard(&["deliver", &waybill, "--verify"]).ends(0).says("all as listed");
        home.wyard(&["deliver", &waybill]).ends(0).says("nothing to do");
        let changes = home.wyard(&["history", "--json"]).ends(0).json();
        let open = changes["changes"].as_array().unwrap().iter().filter(|change| change["state"] == "open").count();
        assert_eq!(open, 0, "round {round}");
    }
    // Each change that stands goes back, the last one first.
    while home.wyard(&["undo"]).code == 0 {}
    assert_eq!((home.files(), home.registry(wagon_yard_core::scope::Scope::User)), before);
    home.wyard(&["stock"]).ends(0).says("No tools yet.");
}
