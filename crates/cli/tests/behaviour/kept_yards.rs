//! Yards as released programs wrote them (`scripts/keep-yard`), in the hands of this one.

use std::collections::BTreeMap;
use std::fs;
use std::io::Read as _;
use std::path::Path;

use flate2::read::GzDecoder;
use serde_json::Value;
use wagon_yard_core::checksum::{Algorithm, compute};
use wagon_yard_core::os;
use wagon_yard_core::progress::Stop;

use crate::archives::tidelog;
use crate::home::Home;

const YARD: &str = "home/.local/share/wagon-yard/";

/// Unpacks a kept yard into a home. Paths in it are exchanged for others of the same length, and so are the checksums of what
/// they stand in.
fn unpacked(kept: &Path) -> Home {
    let mut files = BTreeMap::new();
    let mut archive = tar::Archive::new(GzDecoder::new(fs::File::open(kept).unwrap()));
    for entry in archive.entries().unwrap() {
        let mut entry = entry.unwrap();
        let mut content = String::new();
        entry.read_to_string(&mut content).unwrap();
        files.insert(entry.path().unwrap().to_str().unwrap().to_owned(), (content, entry.header().mode().unwrap()));
    }
    let (old, _) = files.remove("root").unwrap();
    let home = Home::of_length(old.len());
    let new = home.path("").to_str().unwrap().trim_end_matches('/').to_owned();
    assert_eq!(new.len(), old.len(), "{new} instead of {old}");
    let in_names = |name: &str| name.replace(&old.replace('/', "!"), &new.replace('/', "!"));
    let files: BTreeMap<_, _> =
        files.into_iter().map(|(name, (text, mode))| (in_names(&name), (text.replace(&old, &new), mode))).collect();

    let mut copies = BTreeMap::new();
    let mut checksums = Vec::new();
    for (name, (text, _)) in &files {
        let Some(checksum) = name.strip_prefix(YARD).and_then(|name| name.strip_prefix("contents/")) else { continue };
        checksums.push((checksum.to_owned(), sha256(text)));
        copies.insert(sha256(text), text.clone());
    }
    checksums.retain(|(before, _)| !before.is_empty());
    let ledger = format!("{YARD}ledger.jsonl");
    let named_anew = |text: &str| checksums.iter().fold(text.to_owned(), |text, (old, new)| text.replace(old, new));
    for (name, (text, mode)) in &files {
        let (name, mut text) = (named_anew(name), named_anew(text));
        if name == ledger {
            let records = text.lines().map(|line| serde_json::from_str(line).unwrap());
            text = records
                .map(|mut record| {
                    outcomes_anew(&mut record, &copies);
                    format!("{record}\n")
                })
                .collect();
        }
        if name.ends_with('/') {
            fs::create_dir_all(home.path(&name)).unwrap();
        } else {
            os::set_folder_mode(&home.write(&name, text), *mode).unwrap();
        }
    }
    home
}

fn sha256(text: &str) -> String {
    compute(&[Algorithm::Sha256], text.as_bytes(), &Stop::default()).unwrap()[0].to_string()
}

/// Where a content is a copy with exchanges, the checksum of the outcome.
fn outcomes_anew(value: &mut Value, copies: &BTreeMap<String, String>) {
    match value {
        Value::Object(members) => {
            if let Some(exchanges) = members.get("exchanges") {
                let mut text = copies[members["near"].as_str().unwrap()].clone();
                for exchange in exchanges.as_array().unwrap().iter().rev() {
                    let number = |name: &str| usize::try_from(exchange[name].as_u64().unwrap()).unwrap();
                    let range = number("at")..number("at") + number("without");
                    text.replace_range(range, exchange["with"].as_str().unwrap());
                }
                members.insert("sha256".to_owned(), sha256(&text).into());
            }
            members.values_mut().for_each(|member| outcomes_anew(member, copies));
        }
        Value::Array(members) => members.iter_mut().for_each(|member| outcomes_anew(member, copies)),
        _ => {}
    }
}

fn each(test: impl Fn(Home)) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/yards");
    let kept: Vec<_> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    assert!(!kept.is_empty());
    kept.iter().for_each(|kept| test(unpacked(kept)));
}

#[test]
fn what_is_in_service_is_good_and_gets_company() {
    each(|home| {
        home.wyard(&["check"]).ends(0).says("good");
        home.wyard(&["trial", "tidelog"]).ends(0);
        assert_eq!(home.fresh("tidelog"), "tidelog 4.2.1\n");
        let listed = home.wyard(&["history", "--json"]).json();
        assert_eq!(listed["changes"].as_array().unwrap().len(), 7, "{listed}");
        home.wyard(&["survey"]).ends(0);
        home.wyard(&["receive", &tidelog(&home, "4.3.0")]).ends(0);
        assert_eq!(home.fresh("tidelog"), "tidelog 4.3.0\n");
        home.wyard(&["switch", "tidelog", "4.2.1"]).ends(0);
        assert_eq!(home.fresh("tidelog"), "tidelog 4.2.1\n");
    });
}

#[test]
fn all_that_was_done_is_undone() {
    each(|home| {
        while home.wyard(&["undo"]).code == 0 {}
        home.wyard(&["undo"]).ends(2).says("no changes to undo");
        let of = |name: &str| fs::read_to_string(home.path("home").join(name)).unwrap();
        assert_eq!((of(".bashrc").as_str(), of(".profile").as_str()), ("# mine\nalias neap=ls\n", "x=1"));
        assert_eq!(home.files().len(), 2, "{:?}", home.files());
    });
}
