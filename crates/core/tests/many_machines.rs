//! Comparing many machines with one says what comparing each of them by itself says.
#![allow(clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};
use std::convert::Infallible;

use fastrand::Rng;
use wagon_yard_core::resolve::FileKind;
use wagon_yard_core::snapshot::{
    Base, BriefSnapshot, RecordedEntry, RecordedFile, RecordedFolder, RecordedTerminal, RecordedTool, Snapshot, compare,
};

const PAIRS: usize = 2_000;

/// A machine like another one, but for what chance changes in it.
fn make(chance: &mut Rng, system: &str) -> Snapshot {
    let is_windows = system == "windows";
    let (folders, names): (&[&str], &[&str]) = match is_windows {
        true => (&[r"C:\a", r"~\b", "~", r"C:\c\"], &["t.exe", "T.cmd", "t.x.exe", "u.bat", "u.py", "v.com"]),
        false => (&["/a", "~/b", "/c/", "~", "rel", "\\~/d"], &["t", "u", "v w", "x;y"]),
    };
    let mut entries: Vec<&str> = folders.to_vec();
    // Mostly the same PATH.
    if chance.usize(..4) == 0 {
        chance.shuffle(&mut entries);
        entries.truncate(chance.usize(1..folders.len()));
    }
    if chance.usize(..2) == 0 {
        entries.retain(|entry| !["rel", "\\~/d"].contains(entry));
    }
    let file = |chance: &mut Rng, name: &&str| RecordedFile {
        name: (*name).to_owned(),
        kind: *chance.choice(&[FileKind::Program, FileKind::Program, FileKind::Folder, FileKind::File]).unwrap(),
        bytes: u64::from(chance.bool()),
        leads_to: None,
        sha256: chance.bool().then(|| chance.usize(..2).to_string()),
        version: (chance.usize(..4) == 0).then(|| chance.usize(..2).to_string()),
    };
    let folder = |chance: &mut Rng, folder: &&str| {
        let there: Vec<&&str> = names.iter().filter(|_| chance.usize(..3) == 0).collect();
        RecordedFolder {
            folder: match folder.strip_prefix('\\') {
                Some(_) => "~/~/d".to_owned(),
                None if *folder == "rel" => "~/rel".to_owned(),
                None => (*folder).to_owned(),
            },
            leads_to: None,
            exists: true,
            is_of_system: false,
            files: there.into_iter().map(|name| file(chance, name)).collect(),
        }
    };
    Snapshot {
        snapshot: 1,
        taken: String::new(),
        made_by: String::new(),
        name: None,
        system: system.to_owned(),
        processor: String::new(),
        path_extensions: if is_windows {
            [".com", ".exe", ".bat", ".cmd", ".py"].map(str::to_owned).to_vec()
        } else {
            Vec::new()
        },
        system_root: None,
        machine: None,
        terminals: vec![RecordedTerminal {
            shell: if is_windows { "cmd" } else { *chance.choice(&["bash", "bash", "sh", "fish"]).unwrap() }.to_owned(),
            modes: Vec::new(),
            entries: entries
                .iter()
                .map(|raw| RecordedEntry {
                    raw: (*raw).to_owned(),
                    origin: Some("~/.profile".to_owned()),
                    line: Some(1),
                    tool: None,
                })
                .collect(),
            of_system: 0,
            answered: chance.usize(..20) > 0,
        }],
        folders: folders.iter().map(|one| folder(chance, one)).collect(),
        variables: BTreeMap::new(),
        stores: Vec::new(),
        yard: None,
        tools: vec![RecordedTool {
            name: "tidelog".to_owned(),
            version: "1".to_owned(),
            in_service: true,
            registered: chance.bool().then(|| "user".to_owned()),
            commands: vec!["t".to_owned()],
            home: None,
            home_variables: Vec::new(),
            received: None,
            others: None,
        }],
        survey: None,
    }
}

/// One with few changes, so that most of it can be skipped.
fn alike(chance: &mut Rng, base: &Snapshot) -> Snapshot {
    let mut other = base.clone();
    let other_made = make(chance, &base.system);
    let at = chance.usize(..other.folders.len());
    other.folders[at] = other_made.folders[at].clone();
    other
}

#[test]
fn many_are_compared_as_two_are() {
    let seed =
        std::env::var("WYARD_TEST_SEED").ok().and_then(|seed| seed.parse().ok()).unwrap_or_else(|| fastrand::u64(..));
    eprintln!("WYARD_TEST_SEED={seed}");
    let mut chance = Rng::with_seed(seed);
    let mut differing = 0;
    for at in 0..PAIRS {
        let system = if at % 2 == 0 { "linux" } else { "windows" };
        let base = make(&mut chance, system);
        let other = if chance.bool() { alike(&mut chance, &base) } else { make(&mut chance, system) };
        let [base_text, other_text] = [&base, &other].map(|machine| serde_json::to_vec(machine).unwrap());
        let [base_brief, other_brief] = [&base_text, &other_text].map(|text| BriefSnapshot::of(text).unwrap());
        let mut many = Base::new(&base, &base_brief);
        let found = many.differing(&other_brief, || Ok::<_, Infallible>(other.clone())).unwrap();
        let found: BTreeSet<_> = found
            .into_iter()
            .map(|one| (one.name.to_lowercase(), one.why, many.meaning(&one.name), one.means))
            .map(|(name, why, base, other)| (name, why, format!("{base:?}"), format!("{other:?}")))
            .collect();
        let two = compare([("base", &base), ("other", &other)]);
        let expected: BTreeSet<_> = two
            .commands
            .into_iter()
            .filter(|command| command.matters)
            .map(|one| (one.name.to_lowercase(), one.why, format!("{:?}", one.means[0]), format!("{:?}", one.means[1])))
            .collect();
        assert_eq!(found, expected, "{base:#?}\n{other:#?}");
        differing += expected.len();
    }
    assert!(differing > PAIRS / 2, "{differing}");
}
