//! `page`, as a browser shows it.

use std::fs;
use std::path::{Path, PathBuf};

use serde_json::Value;
use wagon_yard_core::os;

use crate::archives::tidelog;
use crate::browser::{Browser, ENTER, ESCAPE, TAB};
use crate::home::{Home, have};

/// The rules of accessibility, as `scripts/setup` fetches them; none where that was not run.
fn axe() -> Option<String> {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/browser/node_modules/axe-core/axe.min.js");
    let rules = fs::read_to_string(&file).ok();
    assert!(
        rules.is_some() || std::env::var_os("CI").is_none(),
        "{} is missing, and CI may skip nothing",
        file.display()
    );
    if rules.is_none() {
        eprintln!("skipped: {} is missing; run scripts/setup", file.display());
    }
    rules
}

/// A folder that would be markup, were its name not text.
const MARKUP: &str = "<img src=x onerror=document.title='broken'>\"' &amp;";

/// A home with a tool, an older copy, a folder with a hostile name, and terminals that differ.
fn station() -> Home {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--quiet"]).ends(0);
    let markup = format!("home/{MARKUP}/bin");
    for (folder, name) in [("home/old/bin", "tidelog"), (&markup, "buoyctl"), ("home/old/bin", "ebb")] {
        let file = home.write(&format!("{folder}/{name}"), "#!/bin/sh\necho 3.9\n");
        os::set_folder_mode(&file, 0o755).unwrap();
    }
    let quoted = home.path(&markup).display().to_string().replace('\\', "\\\\").replace('"', "\\\"");
    let old = home.path("home/old/bin").display().to_string();
    let profile = fs::read_to_string(home.path("home/.profile")).unwrap_or_default();
    home.write("home/.profile", format!("PATH=\"$PATH:{old}:{quoted}:/no/such/folder\"\n{profile}"));
    let bashrc = fs::read_to_string(home.path("home/.bashrc")).unwrap_or_default();
    // Only terminals that are no login shells put the older copy first.
    home.write("home/.bashrc", format!("{bashrc}\nshopt -q login_shell || PATH=\"{old}:$PATH\"\n"));
    home
}

fn page(home: &Home, arguments: &[&str]) -> PathBuf {
    let file = home.path("path.html");
    home.wyard(&[&["page", "--into", file.to_str().unwrap()], arguments].concat()).ends(0).says("written");
    file
}

/// Nothing but the page itself was asked for, and the console is empty.
fn is_quiet(browser: &Browser, file: &Path) {
    let (console, requests) = browser.told();
    assert!(console.is_empty(), "{console:?}");
    assert!(
        requests.iter().all(|address| address.ends_with(file.file_name().unwrap().to_str().unwrap())),
        "{requests:?}"
    );
}

#[test]
fn a_browser_shows_what_the_program_says() {
    let Some(axe) = axe().filter(|_| have("chromedriver") && have("chromium")) else { return };
    let (home, browser) = (station(), Browser::start());

    // The checks can see what they look for.
    let bad =
        "<!doctype html><title>bad</title><img src='http://tide.invalid/a.png'><script>console.error('bad')</script>";
    browser.open(&home.write("bad.html", bad));
    let (console, requests) = browser.told();
    assert!(console.iter().any(|entry| entry["message"].as_str().unwrap().contains("bad")), "{console:?}");
    assert!(requests.iter().any(|address| address.contains("tide.invalid")), "{requests:?}");
    assert!(!browser.accessibility(&axe).is_empty());

    let file = page(&home, &["--name", "pier-3"]);
    assert!(fs::metadata(&file).unwrap().len() < 500_000);
    browser.resize(1280, 800);
    browser.open(&file);
    assert_eq!(browser.value("document.title"), "PATH of pier-3");
    assert_eq!(browser.value("document.querySelectorAll('img, iframe, object').length"), 0);
    assert!(browser.text("main").contains(MARKUP));

    // A search, by keyboard alone: to the field, the name, and on to the file that runs.
    let active = "document.activeElement";
    for _ in 0..20 {
        if browser.value(&format!("{active}.id")) == "search" {
            break;
        }
        browser.press(TAB);
    }
    browser.press("tidelog");
    let traced = home.wyard(&["trace", "tidelog", "--terminal", "new", "--json"]).json();
    let runs = |mode: &str| {
        let callers = traced["commands"][0]["callers"].as_array().unwrap();
        let of_mode = |caller: &&Value| caller["modes"].as_array().unwrap().iter().any(|known| known == mode);
        let winner = callers.iter().find(of_mode).unwrap()["winner"].as_str().unwrap().to_owned();
        let folder = Path::new(&winner).parent().unwrap().to_str().unwrap().to_owned();
        folder.replacen(home.path("home").to_str().unwrap(), "~", 1)
    };
    let won = "[...document.querySelectorAll('.yard:not([hidden]) .won')].map((track) => track.dataset.folder).join()";
    let of_first = browser.value(won);
    let labels =
        "[...document.querySelectorAll('input[name=terminal]')].map((choice) => choice.parentNode.textContent)";
    let labels: Vec<String> = serde_json::from_value(browser.value(labels)).unwrap();
    assert!(labels.len() > 1, "{labels:?}");
    let mode_of = |label: &str| if label.contains("login") { "login" } else { "interactive" };
    assert_eq!(of_first, runs(mode_of(&labels[0])), "{labels:?}");
    assert!(browser.text("#answer").contains("runs, from track"), "{}", browser.text("#answer"));
    for _ in 0..40 {
        if browser.value(&format!("{active}.className")) == "wagon runs" {
            break;
        }
        browser.press(TAB);
    }
    assert_eq!(browser.value(&format!("getComputedStyle({active}).outlineStyle")), "solid");
    let detail =
        "[...document.querySelectorAll('.detail')].filter((one) => !one.hidden).map((one) => one.textContent).join()";
    let told = browser.value(detail);
    assert!(told.as_str().unwrap().contains("added to PATH by "), "{told}");
    browser.press(ESCAPE);
    assert_eq!(browser.value(detail), "");

    // Another kind of terminal: what moves is told, and another copy wins.
    let other = labels.iter().position(|label| runs(mode_of(label)) != runs(mode_of(&labels[0]))).unwrap();
    browser.click(&format!("input[name=terminal][value='{other}']"));
    assert_eq!(browser.value(won), runs(mode_of(&labels[other])), "{labels:?}");
    assert!(browser.text(".yard:not([hidden])").contains("in terminals of"));
    let track = "[...document.querySelectorAll('.commands tbody tr')].find((row) => row.cells[0].textContent === 'tidelog').cells[1].textContent";
    let at = "String(1 + Number(document.querySelector('.yard:not([hidden]) .won').dataset.at))";
    assert_eq!(browser.value(track), browser.value(at));
    browser.click("input[name=terminal][value='0']");

    // What is no command is said to be none, and what lies in a folder is listed.
    browser.value("(document.querySelector('#search').value = '', 0)");
    browser.click("#search");
    browser.press("buoyc");
    assert_eq!(browser.text("#answer"), "No command named buoyc; the table lists 1 with that in the name.");
    browser.value("(document.querySelector('.track[data-folder*=\"<img\"] summary').focus(), 0)");
    browser.press(ENTER);
    browser.press(TAB);
    browser.press(ENTER);
    let listed = "[...document.querySelectorAll('.commands tbody tr')].filter((row) => !row.hidden).map((row) => row.cells[0].textContent).join()";
    assert_eq!(browser.value(listed), "buoyctl");

    // Findings, filtered and sorted.
    let count = "[...document.querySelectorAll('.findings tbody tr')].filter((row) => !row.hidden).length";
    let all = browser.value(count).as_u64().unwrap();
    assert!(all > 1);
    browser.click("#words");
    browser.press("/no/such/folder");
    let few = browser.value(count).as_u64().unwrap();
    assert!(few > 0 && few < all, "{few} of {all}");
    browser.value("(document.querySelector('#words').value = '', document.querySelector('#words').dispatchEvent(new Event('input')), 0)");
    browser.click(".findings thead button");
    assert_eq!(browser.value("document.querySelector('.findings thead th').getAttribute('aria-sort')"), "descending");

    // Light and dark, wide and at 320 pixels, which 1,280 are at four times the size.
    let paper = "getComputedStyle(document.body).backgroundColor";
    let light = browser.value(paper);
    for scheme in ["light", "dark"] {
        browser.prefer(scheme);
        assert_eq!(browser.value(paper) == light, scheme == "light");
        for width in [1280, 640, 320] {
            browser.resize(width, 800);
            assert_eq!(browser.value("document.documentElement.scrollWidth <= innerWidth"), true, "{width}");
            let found = browser.accessibility(&axe);
            assert!(found.is_empty(), "{scheme}, {width}: {found:#?}");
        }
    }
    browser.prefer("light");
    browser.resize(1280, 800);
    is_quiet(&browser, &file);

    // Comparisons, and a machine with other rules.
    let (one, two) = (home.path("one.json"), home.path("two.json"));
    home.wyard(&["snapshot", "--into", one.to_str().unwrap()]).ends(0);
    home.wyard(&["retire", "tidelog", "--quiet"]).ends(0);
    home.wyard(&["snapshot", "--into", two.to_str().unwrap()]).ends(0);
    let (one, two) = (one.to_str().unwrap(), two.to_str().unwrap());
    let windows = home.write("pier.json", include_str!("kept/windows-snapshot-1.json"));
    for arguments in [
        vec!["--compare", one, two],
        vec!["--base", one, "--compare", two, one],
        vec!["--from", windows.to_str().unwrap()],
    ] {
        let file = page(&home, &arguments);
        browser.open(&file);
        browser.click("#search");
        browser.press("tidelog");
        let found = browser.accessibility(&axe);
        assert!(found.is_empty(), "{arguments:?}: {found:#?}");
        is_quiet(&browser, &file);
    }
    // With its extension a name means that file, though another comes first without it.
    assert!(browser.text("#answer").starts_with("tidelog.cmd 3.9 runs"), "{}", browser.text("#answer"));
    browser.press(".exe");
    assert!(browser.text("#answer").starts_with("tidelog.exe 4.2.1 runs"), "{}", browser.text("#answer"));
}

#[test]
fn nothing_but_a_page_is_written_over() {
    let home = Home::new();
    let mine = home.write("mine.html", "<p>mine");
    let mine = mine.to_str().unwrap();
    home.wyard(&["page", "--into", mine]).ends(2).says("is not a page of wyard");
    assert_eq!(fs::read_to_string(mine).unwrap(), "<p>mine");
    home.wyard(&["page", "--into", home.path("home").to_str().unwrap()]).ends(2);
    let file = page(&home, &[]);
    page(&home, &[]);
    home.wyard(&["page", "--into", file.to_str().unwrap(), "--from", mine]).ends(3).says("not a snapshot");
    home.wyard(&["page", "--into", file.to_str().unwrap(), "--compare", mine]).ends(2).says("fewer than two");
    home.wyard(&["page", "--into", file.to_str().unwrap(), "--from", "none.json"]).ends(2).says("no such file");
}
