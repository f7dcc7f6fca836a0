//! `deliver` and `draft`: a machine brought to what a waybill says.

use std::fs;

use wagon_yard_core::checksum::{Algorithm, compute};
use wagon_yard_core::progress::Stop;

use crate::archives::{script, tidelog, zip};
use crate::home::{Home, WINDOWS, program};
use crate::server::{Reply, Server};

/// An archive of a tool with one command, and its SHA-256.
fn archive(home: &Home, name: &str, version: &str) -> String {
    let file = home.path(&format!("downloads/{name}-{version}.zip"));
    fs::create_dir_all(file.parent().unwrap()).unwrap();
    zip(&file, &[(&format!("bin/{}", program(name)), &script(version), 0o755)]);
    sum(home, &format!("{name}-{version}.zip"))
}

fn sum(home: &Home, name: &str) -> String {
    let file = fs::File::open(home.path("downloads").join(name)).unwrap();
    compute(&[Algorithm::Sha256], file, &Stop::default()).unwrap().remove(0).value
}

/// A waybill of three tools, one of which requires another; what the card of the first is to say is in it.
fn waybill(home: &Home) -> String {
    let (neap, ebb, shoal) = (archive(home, "neap", "1.0"), archive(home, "ebb", "2.0"), archive(home, "shoal", "3.0"));
    let tool = |name: &str, version: &str, more: &str, sum: &str| {
        format!(
            "[[tool]]\nname = \"{name}\"\nversion = \"{version}\"\n{more}\n\n\
             [[tool.source]]\nfile = \"downloads/{name}-{version}.zip\"\nsha256 = \"{sum}\"\n\n"
        )
    };
    let trial = "[[tool.trial]]\ntitle = \"answers\"\nrun = [\"neap\", \"--version\"]\nprints = \"1.0\"\n";
    let first = "commands = [\"neap\"]\nrequires = { tools = [\"ebb\"], commands = [\"ebb\"] }\nprobe = { arguments = [\"--version\"] }\nhome_variables = [\"NEAP_ROOT\"]";
    let text = format!(
        "waybill = 1\n\n{}{trial}\n{}{}",
        tool("neap", "1.0", first, &neap),
        tool("ebb", "2.0", "", &ebb),
        tool("shoal", "3.0", "", &shoal)
    );
    home.write("office.toml", text).to_str().unwrap().to_owned()
}

#[test]
fn a_waybill_is_delivered_once_and_verified() {
    let home = Home::new();
    let waybill = waybill(&home);
    let before = home.files();
    home.wyard(&["deliver", &waybill, "--dry-run"])
        .ends(0)
        .says("3 tools, 3 to do")
        .says("Dry run: nothing was changed.");
    home.wyard(&["deliver", &waybill, "--verify"]).ends(1).says("3 not as listed");
    assert_eq!(home.files(), before);
    assert!(!home.yard().join("stock").exists());

    let report = home.wyard(&["deliver", &waybill, "--json"]).ends(0).json();
    let names: Vec<&str> =
        report["tools"].as_array().unwrap().iter().map(|tool| tool["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["ebb", "neap", "shoal"], "what is required comes first");
    assert_eq!((report["verdict"].as_str(), report["checks"].as_array().unwrap().len()), (Some("good"), 3));
    assert_eq!(home.fresh("neap --version").trim(), "neap 1.0");
    assert!(!home.variable("NEAP_ROOT").is_empty() && home.variable("NEAP_HOME").is_empty());
    home.wyard(&["trial", "neap"]).ends(0).says("1 of 1 trial passed");

    home.wyard(&["deliver", &waybill]).ends(0).says("3 tools, nothing to do");
    home.wyard(&["deliver", &waybill, "--verify"]).ends(0).says("all as listed");

    // Each tool is one change.
    for _ in 0..3 {
        home.wyard(&["undo"]).ends(0);
    }
    assert_eq!(home.files(), before);
    home.wyard(&["undo"]).ends(2);
}

#[test]
fn what_differs_is_settled() {
    let home = Home::new();
    let waybill = waybill(&home);
    home.wyard(&["deliver", &waybill]).ends(0);
    home.wyard(&["unregister", "ebb"]).ends(0);
    home.wyard(&["check", "neap", "--probe", "version"]);
    home.wyard(&["trial", "drop", "neap", "answers"]).ends(0);
    archive(&home, "shoal", "4.0");
    home.wyard(&["receive", home.path("downloads/shoal-4.0.zip").to_str().unwrap()]).ends(0);
    let ran = home.wyard(&["deliver", &waybill, "--verify"]).ends(1);
    ran.says("ebb 2.0: register").says("neap 1.0: update its card").says("shoal 3.0: switch to this version");
    home.wyard(&["deliver", &waybill, "--only", "neap"]).ends(0).says("2 tools, 2 delivered");
    home.wyard(&["deliver", &waybill]).ends(0).says("3 tools, 1 delivered");
    assert_eq!(home.fresh("shoal --version").trim(), "shoal 3.0");
    home.wyard(&["deliver", &waybill, "--verify"]).ends(0);
    // Another build of the same version takes the place of the one that is there.
    zip(&home.path("downloads/shoal-3.0.zip"), &[(&format!("bin/{}", program("shoal")), &script("3.0.1"), 0o755)]);
    let text = fs::read_to_string(&waybill).unwrap();
    let old = text.rsplit("sha256 = \"").next().unwrap().split('"').next().unwrap().to_owned();
    let new = sum(&home, "shoal-3.0.zip");
    fs::write(&waybill, text.replace(&old, &new)).unwrap();
    home.wyard(&["deliver", &waybill, "--verify"]).ends(1).says("shoal 3.0: replace by");
    home.wyard(&["deliver", &waybill]);
    assert_eq!(home.fresh("shoal --version").trim(), "shoal 3.0.1");
    let text =
        fs::read_to_string(&waybill).unwrap().replace("commands = [\"neap\"]", "commands = [\"neap\", \"flood\"]");
    fs::write(&waybill, text).unwrap();
    for _ in 0..2 {
        home.wyard(&["deliver", &waybill]).ends(1).says("neap 1.0: has no command flood; it has neap");
    }
    home.wyard(&["deliver", &waybill, "--only", "neep"]).ends(2).says("did you mean neap?");
}

#[test]
fn others_are_retired_on_request() {
    let home = Home::new();
    let waybill = waybill(&home);
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    home.wyard(&["deliver", &waybill, "--retire-others", "--dry-run"]).ends(0).says("tidelog 4.2.1: retire");
    home.wyard(&["deliver", &waybill, "--retire-others"]).ends(0).says("4 tools, 4 delivered");
    assert!(!home.wyard(&["stock"]).ends(0).out.contains("tidelog"));
    home.wyard(&["deliver", &waybill, "--retire-others", "--verify"]).ends(0);
    home.wyard(&["undo"]).ends(0).says("retire tidelog@4.2.1");
    home.wyard(&["deliver", &waybill, "--retire-others", "--verify"]).ends(1);
}

#[test]
fn a_folder_of_downloads_is_drafted() {
    let home = Home::new();
    for (name, version) in [("neap", "1.0"), ("neap", "1.10"), ("neap", "1.9"), ("ebb", "2.0")] {
        archive(&home, name, version);
    }
    let linux = home.path("downloads/shoal-3.0-linux-x64.zip");
    zip(&linux, &[("shoal", &script("3.0"), 0o755)]);
    zip(&home.path("downloads/shoal-3.0-windows-x64.zip"), &[("shoal.cmd", "@echo 3.0\r\n", 0o644)]);
    home.write("downloads/notes.txt", "high water");
    home.write("downloads/gauge-1.0.zip", "<html>");
    let draft = home.wyard(&["draft", "downloads"]).ends(0).out;
    let names: Vec<&str> =
        draft.lines().filter(|line| line.starts_with("name") || line.starts_with("version")).collect();
    let told = ["ebb", "2.0", "neap", "1.10", "shoal", "3.0"];
    let told = told.map(|text| format!("{} = \"{text}\"", if text.contains('.') { "version" } else { "name" }));
    assert_eq!(names, told);
    assert!(draft.contains("os = \"linux\"\narch = \"x86_64\"") && draft.contains("os = \"windows\""), "{draft}");
    let waybill = home.write("office.toml", draft);
    home.wyard(&["deliver", waybill.to_str().unwrap(), "--only", "neap"]).ends(0);
    home.wyard(&["draft", "nowhere"]).ends(2).says("no such folder");
    home.wyard(&["draft", "home"]).ends(2).says("no downloads in home");
}

#[test]
fn a_tool_that_fails_leaves_the_others_alone() {
    let home = Home::new();
    let waybill = waybill(&home);
    fs::write(home.path("downloads/ebb-2.0.zip"), "no archive").unwrap();
    let ran = home.wyard(&["deliver", &waybill]).ends(1);
    ran.says("1 failed, 1 skipped, 1 delivered").says("neap 1.0: requires ebb");
    assert_eq!(home.fresh("shoal --version").trim(), "shoal 3.0");
    // What is mended is delivered by the next call.
    archive(&home, "ebb", "2.0");
    home.wyard(&["deliver", &waybill]).ends(0).says("3 tools, 2 delivered");
    let text = fs::read_to_string(&waybill).unwrap();
    let elsewhere =
        text.replace("[[tool.source]]\nfile", "[[tool.source]]\nos = \"macos\"\nfile").replace("1.0", "1.1");
    let elsewhere = home.write("elsewhere.toml", elsewhere);
    if cfg!(not(target_os = "macos")) {
        home.wyard(&["deliver", elsewhere.to_str().unwrap()]).ends(1).says("neap 1.1: no source for this machine");
    }
}

#[test]
fn a_draft_gives_the_same_yard_elsewhere() {
    let home = Home::new();
    let bytes = fs::read(tidelog(&home, "4.2.1")).unwrap();
    let server = Server::new(move |request| match request.path.as_str() {
        "/tidelog-4.2.1.zip" => Reply::of(200, &bytes[..]),
        _ => Reply::of(404, ""),
    });
    home.wyard(&["receive", &format!("{}/tidelog-4.2.1.zip", server.address), "--home-variable", "TIDE"]).ends(0);
    archive(&home, "neap", "1.0");
    home.wyard(&["receive", home.path("downloads/neap-1.0.zip").to_str().unwrap(), "--requires-command", "tidelog"])
        .ends(0);
    home.wyard(&["trial", "add", "neap", "--title", "answers", "--run", "neap", "--status", "0"]).ends(0);
    let place = home.write(&format!("home/harbour/ebb-2.0/bin/{}", program("ebb")), script("2.0"));
    if !WINDOWS {
        wagon_yard_core::os::set_folder_mode(&place, 0o755).unwrap();
    }
    home.wyard(&["adopt", home.path("home/harbour/ebb-2.0").to_str().unwrap()]).ends(0);
    let draft = home.wyard(&["draft"]).ends(0);

    let other = Home::new();
    let waybill = other.write("office.toml", &draft.out);
    other.wyard(&["deliver", waybill.to_str().unwrap()]).ends(0).says("3 tools, 3 delivered");
    assert_eq!(other.wyard(&["draft"]).ends(0).out, draft.out);
    Home::new().wyard(&["draft"]).ends(2).says("the yard has no tools");
}

#[test]
fn a_delivery_that_is_killed_is_gone_on_with() {
    let home = Home::new();
    let waybill = waybill(&home);
    for after in 0..12u64 {
        let mut running = home.command(&["deliver", &waybill, "--quiet"]).spawn().unwrap();
        std::thread::sleep(std::time::Duration::from_millis(40 * after));
        let _ = running.kill();
        running.wait().unwrap();
    }
    home.wyard(&["deliver", &waybill]).ends(0);
    home.wyard(&["deliver", &waybill, "--verify"]).ends(0);
    while home.wyard(&["undo"]).code == 0 {}
    let left: Vec<_> = home.files().into_keys().collect();
    assert_eq!(left, Vec::<std::path::PathBuf>::new());
}

#[test]
fn downloads_come_side_by_side_and_one_that_fails_is_told() {
    let home = Home::new();
    for name in ["neap", "ebb", "shoal", "gauge", "flood"] {
        archive(&home, name, "1.0");
    }
    let folder = home.path("downloads");
    let server = Server::new(move |request| {
        let Ok(bytes) = fs::read(folder.join(&request.path[1..])) else { return Reply::of(404, "") };
        let mut reply = Reply::of(200, bytes);
        reply.pause = std::time::Duration::from_millis(400);
        reply
    });
    let tool = |name: &str| {
        let url = format!("{}/{name}-1.0.zip", server.address);
        format!("[[tool]]\nname = \"{name}\"\nversion = \"1.0\"\n[[tool.source]]\nurl = \"{url}\"\n\n")
    };
    let tools: String = ["neap", "ebb", "shoal", "gauge", "flood", "spring"].map(tool).concat();
    let waybill = home.write("office.toml", format!("waybill = 1\n{tools}"));
    let ran = home.wyard(&["deliver", waybill.to_str().unwrap()]).ends(1);
    ran.says("1 failed, 5 delivered").says("spring 1.0: http").says("the server answered 404: no such file");
    let mut asked: Vec<String> = server.asked().into_iter().filter(|path| path.ends_with(".zip")).collect();
    asked.sort();
    assert_eq!(asked.len(), 6, "each once: {asked:?}");
    let left: Vec<_> = fs::read_dir(home.yard().join("downloads")).unwrap().flatten().collect();
    assert_eq!(left.len(), 1, "{left:?}");
}
